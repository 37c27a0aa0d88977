// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/stream_out.h"

#include <algorithm>

#include "kettle/units/json_fields.h"

namespace kettle {

StreamOut::StreamOut(const std::vector<RehearsalIngest>& ingests, QueueRule rule, int held_bytes, const Clock& clock) {
  for (const RehearsalIngest& ingest : ingests) {
    SenderRequest request{IngestUrl::Parse(ingest.url), {ingest.key, ingest.passphrase}, rule};
    request.held_bytes = held_bytes;
    lines_.push_back({ingest, request.url.scheme == "srt", std::make_unique<Sender>(request, clock), {}});
  }
}

void StreamOut::Open(const AVCodecContext& pictures, const std::vector<const AVCodecContext*>& sound) {
  std::vector<const AVCodecContext*> tracks{&pictures};
  if (!sound.empty()) tracks.push_back(sound.front());
  const std::scoped_lock lock(mutex_);
  for (Line& line : lines_) {
    if (line.srt) {
      if (!transport_stream_) transport_stream_ = std::make_unique<LiveTransportStream>(tracks);
    } else {
      if (!flv_) flv_ = std::make_unique<FlvPacker>(tracks);
      line.sender->SetOpening(flv_->opening());
    }
  }
}

void StreamOut::Enqueue(int track, const AVPacket& packet) {
  const std::scoped_lock lock(mutex_);
  std::vector<FlvPacker::Packed> messages, packets;
  if (flv_) messages = flv_->Pack(track, packet);
  if (transport_stream_) {
    const bool keyframe = (packet.flags & AV_PKT_FLAG_KEY) != 0;
    packets.push_back({{RtmpType::kVideo, 0, 0, transport_stream_->Pack(track, packet)},
                       track == 0 ? std::optional(FlvPacker::Picture{packet.pts, keyframe}) : std::nullopt});
  }
  for (Line& line : lines_)
    for (const FlvPacker::Packed& packed : line.srt ? packets : messages)
      line.sender->Enqueue(packed.message, packed.picture);
}

std::vector<SendSecond> StreamOut::TakeSecond(double seconds) {
  std::vector<SendSecond> all;
  for (Line& line : lines_) {
    const SenderState now = line.sender->state();
    SendSecond second;
    second.dropped = now.dropped - line.before.dropped;
    second.waiting_seconds = line.sender->TakeLongestWait();
    second.blocked_share = std::min(1.0, (now.blocked_seconds - line.before.blocked_seconds) / seconds);
    second.acknowledged_kbps =
        static_cast<double>(now.acknowledged_bytes - line.before.acknowledged_bytes) * 8 / 1000 / seconds;
    second.round_trip_ms = now.round_trip_ms;
    second.connected = now.connected;
    line.before = now;
    all.push_back(second);
  }
  return all;
}

void StreamOut::Finish(double patience_seconds) {
  for (Line& line : lines_) line.sender->Finish(patience_seconds);
}

std::vector<IngestOutcome> StreamOut::Outcomes() const {
  std::vector<IngestOutcome> outcomes;
  for (const Line& line : lines_) {
    const SenderState state = line.sender->state();
    outcomes.push_back({line.ingest.name, line.ingest.url, line.sender->Dropped(), state.losses, state.trouble,
                        line.sender->simulated()});
  }
  return outcomes;
}

KETTLE_JSON(RehearsalIngest, name, url, key, passphrase)
KETTLE_JSON(IngestOutcome, name, url, dropped, connection_losses, connection_trouble, simulated)

}  // namespace kettle
