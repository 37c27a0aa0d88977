// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/unpaced.h"

#include <algorithm>
#include <cstring>

#include "kettle/encoders/catalogue.h"
#include "kettle/media/scaler.h"
#include "kettle/media/writer.h"
#include "kettle/media/y4m.h"
#include "kettle/trial/pacing.h"
#include "kettle/trial/packet_log.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr int kFewestFrames = 30;
constexpr int kProbeFrames = 8;

// Feeds one encoder and keeps its packets.
class Feed {
 public:
  Feed(const EncodeTask& task, const Y4mFile& footage, const Clock& clock)
      : footage_(footage),
        clock_(clock),
        selector_(footage.rate(), task.settings.frame_rate),
        scaler_(footage.size(), task.settings.size),
        encoder_(ConfigFor(task.settings)) {}

  // Gives the encoder footage frame `index`, if the encode's frame rate takes it; says whether it did.
  bool Frame(int index) {
    const auto number = selector_.Take(index);
    if (!number) return false;
    FramePtr picture = scaler_.Scale(*footage_.Frame(index % footage_.frames()));
    picture->pts = *number;
    log_.FrameIn(*number, clock_.now_ns());
    encoder_.Send(picture.get());
    Drain();
    return true;
  }

  void End() {
    encoder_.Send(nullptr);
    Drain();
  }

  const Encoder& encoder() const { return encoder_; }
  const PacketLog& log() const { return log_; }
  const std::vector<PacketPtr>& packets() const { return packets_; }

 private:
  void Drain() {
    while (PacketPtr packet = encoder_.Receive()) {
      log_.PacketOut(packet->pts, clock_.now_ns(), packet->size);
      packets_.push_back(std::move(packet));
    }
  }

  const Y4mFile& footage_;
  const Clock& clock_;
  const FrameSelector selector_;
  Scaler scaler_;
  Encoder encoder_;
  PacketLog log_;
  std::vector<PacketPtr> packets_;
};

void WarmUp(const EncodeTask& task, const Y4mFile& footage, const Clock& clock) {
  Feed feed(task, footage, clock);
  for (int i = 0, fed = 0; fed < kWarmUpFrames; ++i) fed += feed.Frame(i);
  feed.End();
}

}  // namespace

EncodeOutcome RunUnpaced(const EncodeTask& task, const Clock& clock, const std::function<void(double)>& progress) {
  const Y4mFile footage(task.footage);
  WarmUp(task, footage, clock);

  Feed feed(task, footage, clock);
  EncodeOutcome outcome;
  const std::int64_t start_ns = clock.now_ns();
  const auto elapsed = [&] { return static_cast<double>(clock.now_ns() - start_ns) * 1e-9; };
  for (int index = 0; index < footage.frames() && !outcome.truncated; ++index) {
    if (!feed.Frame(index)) continue;
    ++outcome.frames;
    if (outcome.frames % 30 == 0) progress(static_cast<double>(index) / footage.frames());
    outcome.truncated =
        index + 1 < footage.frames() && outcome.frames >= kFewestFrames && elapsed() > task.longest_seconds;
  }
  feed.End();
  outcome.seconds = elapsed();

  outcome.fed_frames = outcome.frames + kWarmUpFrames;
  outcome.mean_kbps = feed.log().mean_kbps(outcome.frames, task.settings.frame_rate);
  outcome.peak_second_kbps = feed.log().peak_second_kbps(task.settings.frame_rate);
  outcome.latency = feed.log().latency();
  outcome.b_frames = feed.log().longest_b_run();
  outcome.device_name = feed.encoder().device_name();
  if (feed.log().packets() != outcome.frames)
    FailMachine("{} frames went in but {} packets came out", outcome.frames, feed.log().packets());
  if (!task.output.empty()) {
    MediaWriter writer(task.output, feed.encoder().context());
    for (const PacketPtr& packet : feed.packets()) writer.Write(*packet);
    writer.Finish();
  }
  return outcome;
}

ProbeOutcome RunProbe(const ProbeTask& task) {
  ProbeOutcome outcome;
  try {
    Encoder encoder(ConfigFor(task.settings));
    outcome.device_name = encoder.device_name();
    FramePtr picture = NewPicture(task.settings.size);
    for (int plane = 0; plane < 3; ++plane)
      std::memset(picture->data[plane], 128,
                  static_cast<std::size_t>(picture->linesize[plane] * (picture->height >> (plane > 0))));
    int packets = 0;
    for (int i = 0; i <= kProbeFrames; ++i) {
      picture->pts = i;
      encoder.Send(i < kProbeFrames ? picture.get() : nullptr);
      while (encoder.Receive()) ++packets;
    }
    outcome.works = packets == kProbeFrames;
    if (!outcome.works)
      outcome.reason = fmt::format("{} frames went in but {} packets came out", kProbeFrames, packets);
  } catch (const Error& error) {
    outcome.reason = Reason(FindFamily(task.settings.encoder), error.what());
  }
  return outcome;
}

}  // namespace kettle
