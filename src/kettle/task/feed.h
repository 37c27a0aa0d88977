// SPDX-License-Identifier: Apache-2.0
// Feeds one encoder with mapped footage.
#pragma once

#include <functional>
#include <vector>

#include "kettle/encoders/catalogue.h"
#include "kettle/footage/y4m.h"
#include "kettle/media/scaler.h"
#include "kettle/realtime/pacing.h"
#include "kettle/realtime/packet_log.h"

namespace kettle {

// Feeds one encoder with mapped footage and notes what comes out. Not thread-safe.
class Feed {
 public:
  // Keeps the packets if `keep`. The footage and the clock must outlive it. Throws Error.
  Feed(const EncodeSettings& settings, const Y4mFile& footage, const Clock& clock, bool keep);

  // Gives the encoder footage frame `index` (counted on through repetitions), if the encode's frame rate takes it; says
  // whether it did.
  bool Frame(std::int64_t index);
  // Lets the encoder finish. `go_on` is asked after each packet: if not, what it still holds is thrown away.
  void End(const std::function<bool()>& go_on = {});

  const Encoder& encoder() const { return encoder_; }
  const PacketLog& log() const { return log_; }
  // Of a processor, to bring one picture to the encode's size and format: the mean so far.
  double scaling_seconds() const { return scaled_ > 0 ? scaling_seconds_ / scaled_ : 0; }
  const std::vector<PacketPtr>& packets() const { return packets_; }

 private:
  void Drain(const std::function<bool()>& go_on = {});

  const Y4mFile& footage_;
  const Clock& clock_;
  const bool keep_;
  const EncoderConfig config_;
  const FrameSelector selector_;
  Scaler scaler_;
  Encoder encoder_;
  PacketLog log_;
  std::vector<PacketPtr> packets_;
  double scaling_seconds_ = 0;
  int scaled_ = 0;
};

// Calls `progress`, but only a few times a second, so that a watcher can tell work from a hang.
class Heartbeat {
 public:
  Heartbeat(const Clock& clock, const std::function<void(double)>& progress) : clock_(clock), progress_(progress) {}
  void operator()(double share) {
    const std::int64_t now_ns = clock_.now_ns();
    if (now_ns - last_ns_ < kInterval_ns) return;
    last_ns_ = now_ns;
    progress_(share);
  }

 private:
  static constexpr std::int64_t kInterval_ns = 200'000'000;
  const Clock& clock_;
  const std::function<void(double)>& progress_;
  std::int64_t last_ns_ = -kInterval_ns;
};

}  // namespace kettle
