// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/feed.h"

namespace kettle {

Feed::Feed(const EncodeSettings& settings, const Y4mFile& footage, const Clock& clock, bool keep)
    : footage_(footage),
      clock_(clock),
      keep_(keep),
      config_(ConfigFor(settings)),
      selector_(footage.rate(), settings.frame_rate),
      scaler_(config_.size, config_.pixel_format, settings.scaler),
      encoder_(config_),
      log_(settings.frame_rate) {}

bool Feed::Frame(std::int64_t index) {
  const auto number = selector_.FrameNumber(index);
  if (!number) return false;
  const double before = ThreadCpuSeconds();
  FramePtr picture = scaler_.Scale(*footage_.Frame(static_cast<int>(index % footage_.frames())));
  scaling_seconds_ += ThreadCpuSeconds() - before;
  ++scaled_;
  picture->pts = *number;
  log_.FrameIn(*number, clock_.now_ns());
  encoder_.Send(picture.get());
  Drain();
  return true;
}

void Feed::End(const std::function<bool()>& go_on) {
  encoder_.Send(nullptr);
  Drain(go_on);
}

void Feed::Drain(const std::function<bool()>& go_on) {
  while (!go_on || go_on()) {
    PacketPtr packet = encoder_.Receive();
    if (!packet) return;
    log_.PacketOut(packet->pts, clock_.now_ns(), packet->size);
    if (keep_) packets_.push_back(std::move(packet));
  }
}

}  // namespace kettle
