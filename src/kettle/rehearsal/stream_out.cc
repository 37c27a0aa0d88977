// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/stream_out.h"

#include <algorithm>
#include <deque>

#include "kettle/units/guarded_thread.h"
#include "kettle/units/json_fields.h"

namespace kettle {

StreamOut::StreamOut(const std::vector<RehearsalIngest>& ingests, QueueRule rule, const std::vector<int>& held_bytes,
                     const Clock& clock) {
  for (const RehearsalIngest& ingest : ingests) {
    SenderRequest request{IngestUrl::Parse(ingest.url), {ingest.key, ingest.passphrase}, rule};
    request.held_bytes = held_bytes.at(static_cast<std::size_t>(ingest.stream));
    lines_.push_back({ingest, request.url.scheme == "srt", std::make_unique<Sender>(request, clock), {}});
  }
}

void StreamOut::Open(int encode, const AVCodecContext& pictures, const std::vector<const AVCodecContext*>& sound) {
  std::vector<const AVCodecContext*> tracks{&pictures};
  if (!sound.empty()) tracks.push_back(sound.front());
  const std::scoped_lock lock(mutex_);
  for (Line& line : lines_) {
    if (line.ingest.stream != encode) continue;
    Packers& packers = packers_[encode];
    packers.time_bases.clear();
    for (const AVCodecContext* track : tracks) packers.time_bases.push_back(track->time_base);
    if (line.srt) {
      if (!packers.transport_stream) packers.transport_stream = std::make_unique<LiveTransportStream>(tracks);
    } else {
      if (!packers.flv) packers.flv = std::make_unique<FlvPacker>(tracks);
      line.sender->SetOpening(packers.flv->opening());
    }
  }
}

void StreamOut::EnqueuePicture(int encode, const AVPacket& packet) {
  const std::scoped_lock lock(mutex_);
  Enqueue(encode, 0, packet);
}

void StreamOut::EnqueueSound(const AVPacket& packet) {
  const std::scoped_lock lock(mutex_);
  for (const auto& [encode, packers] : packers_) Enqueue(encode, 1, packet);
}

void StreamOut::Enqueue(int encode, int track, const AVPacket& packet) {
  const Packers& packers = packers_[encode];
  std::vector<FlvPacker::Packed> messages, packets;
  if (packers.flv) messages = packers.flv->Pack(track, packet);
  if (packers.transport_stream) {
    const bool keyframe = (packet.flags & AV_PKT_FLAG_KEY) != 0;
    packets.push_back({{RtmpType::kVideo, 0, 0, packers.transport_stream->Pack(track, packet)},
                       track == 0 ? std::optional(FlvPacker::Picture{packet.pts, keyframe}) : std::nullopt,
                       static_cast<double>(packet.pts) * av_q2d(packers.time_bases[static_cast<std::size_t>(track)])});
  }
  for (Line& line : lines_)
    if (line.ingest.stream == encode)
      for (const FlvPacker::Packed& packed : line.srt ? packets : messages) line.sender->Enqueue(packed);
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
  std::deque<GuardedThread> finishing;
  for (Line& line : lines_)
    finishing.emplace_back([&sender = *line.sender, patience_seconds] { sender.Finish(patience_seconds); });
  for (GuardedThread& thread : finishing) thread.Join();
}

std::vector<IngestOutcome> StreamOut::Outcomes() const {
  std::vector<IngestOutcome> outcomes;
  for (const Line& line : lines_) {
    const SenderState state = line.sender->state();
    outcomes.push_back({line.ingest.name, line.ingest.url, line.sender->Dropped(), state.losses, state.trouble,
                        line.sender->simulated(), line.ingest.stream});
  }
  return outcomes;
}

KETTLE_JSON(RehearsalIngest, name, url, key, passphrase, stream)
KETTLE_JSON(IngestOutcome, name, url, dropped, connection_losses, connection_trouble, simulated, stream)

}  // namespace kettle
