// SPDX-License-Identifier: Apache-2.0
#pragma once

#include <algorithm>
#include <cstdint>

namespace kettle {

// How many packets may be on their way over a line of unknown rate: slow start up to the first loss, then additive
// increase and multiplicative decrease (RFC 5681, section 3.1), once a round trip. After a loss it falls by little: a
// line is measured here, not shared fairly.
class SendWindow {
 public:
  std::int64_t packets() const { return static_cast<std::int64_t>(packets_); }

  // To be told often. `waiting` are on their way now, `lost` were lost since the start.
  void Watch(double now_seconds, double round_trip_seconds, std::int64_t waiting, std::int64_t lost) {
    used_ = used_ || waiting + 1 >= packets();
    if (now_seconds < next_seconds_) return;
    next_seconds_ = now_seconds + std::max(round_trip_seconds, kLeastSeconds);
    if (lost > lost_) {
      packets_ = std::max(kLeast, packets_ * kAfterLoss);
      starting_ = false;
    } else if (used_) {
      packets_ = std::min(kMost, starting_ ? packets_ * 2 : packets_ + kStep);
    }
    lost_ = lost;
    used_ = false;
  }

 private:
  static constexpr double kLeast = 8, kMost = 6000, kStep = 2, kAfterLoss = 0.85, kLeastSeconds = 0.01;
  double packets_ = 16, next_seconds_ = 0;
  std::int64_t lost_ = 0;
  bool starting_ = true, used_ = false;
};

}  // namespace kettle
