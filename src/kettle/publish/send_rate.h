// SPDX-License-Identifier: Apache-2.0
// The rate at which to fill a line whose own rate is unknown.
#pragma once

#include <algorithm>
#include <cstdint>
#include <deque>

namespace kettle {

// How fast to send over a line of unknown rate so that it is full and yet next to nothing is lost: steeply up until the
// round trip shows that packets wait before the line, or one is lost; then so that some wait, never none and never
// many. (Delay as the first sign, as in RFC 6817, section 2; loss as the second. A line is
// measured here, not shared fairly.)
class SendRate {
 public:
  // What a transport has told since the start.
  struct Seen {
    double seconds = 0;  // now
    double round_trip_seconds = 0;
    std::int64_t acknowledged_bytes = 0, sent = 0, lost = 0;  // packets, those sent again included
    bool used = false;                                        // all of the rate was used
  };

  double kbps() const { return kbps_; }
  void Limit(double most_kbps) {
    most_kbps_ = most_kbps;
    kbps_ = std::min(kbps_, most_kbps_);
  }

  // To be told often.
  void Watch(const Seen& seen) {
    used_ = used_ || seen.used;
    if (seen.round_trip_seconds > 0) base_seconds_ = std::min(base_seconds_, seen.round_trip_seconds);
    if (seen.seconds - history_.back().seconds < kIntervalSeconds) return;
    const Seen &last = history_.back(), &first = history_.front();
    const double queue_seconds = seen.round_trip_seconds - base_seconds_;
    const bool patient = seen.seconds < patient_until_;
    if (seen.lost > last.lost) {
      // Acknowledgements wait for what was lost: the share that got through tells the line's rate.
      const auto lost = static_cast<double>(seen.lost - first.lost), sent = static_cast<double>(seen.sent - first.sent);
      if (!patient) SlowDown(kbps_ * std::max(starting_ ? 0.5 : 0.85, 1 - lost / std::max(sent, 1.0)) * kBelow, seen);
    } else if (queue_seconds > kLongQueueSeconds) {
      const double acknowledged_kbps = static_cast<double>(seen.acknowledged_bytes - first.acknowledged_bytes) * 8 /
                                       1000 / (seen.seconds - first.seconds);
      if (!patient) SlowDown(std::clamp(acknowledged_kbps, kbps_ / 2, kbps_) * kBelow, seen);
    } else if (used_ && !patient && seen.acknowledged_bytes > last.acknowledged_bytes) {  // a dead line is no fast one
      kbps_ = std::min(most_kbps_, kbps_ * (queue_seconds > kShortQueueSeconds ? kSlowest
                                            : starting_                        ? kSteep
                                                                               : kSlow));
    }
    history_.push_back(seen);
    if (seen.seconds - history_.front().seconds > kMemorySeconds) history_.pop_front();
    used_ = false;
  }

 private:
  // What is seen in the next round trip was sent before.
  void SlowDown(double kbps, const Seen& seen) {
    kbps_ = std::max(kLeastKbps, kbps);
    patient_until_ = seen.seconds + std::max(seen.round_trip_seconds, kMemorySeconds);
    starting_ = false;
  }

  static constexpr double kLeastKbps = 200, kIntervalSeconds = 0.1, kMemorySeconds = 0.5;
  static constexpr double kSteep = 1.25, kSlow = 1.04, kSlowest = 1.01, kBelow = 0.97;
  static constexpr double kShortQueueSeconds = 0.03, kLongQueueSeconds = 0.08;
  double most_kbps_ = 1e6, kbps_ = 2000, base_seconds_ = 10, patient_until_ = 0;
  std::deque<Seen> history_{Seen{}};  // of the last kMemorySeconds
  bool starting_ = true, used_ = false;
};

}  // namespace kettle
