// SPDX-License-Identifier: Apache-2.0
// How many processors something takes in its busiest second.
#pragma once

#include <algorithm>
#include <optional>

namespace kettle {

// Told of time and of processor time used so far, both in seconds and rising, as often as one likes.
class BusiestSecond {
 public:
  // Whether a second has passed since the last that was counted: only then is At worth the call.
  bool due(double seconds) const { return !from_ || seconds - from_->seconds >= 1; }
  void At(double seconds, double cpu_seconds) {
    if (from_ && due(seconds))
      cores_ = std::max(cores_, (cpu_seconds - from_->cpu_seconds) / (seconds - from_->seconds));
    if (due(seconds)) from_ = Reading{seconds, cpu_seconds};
  }
  // 0 before a whole second has passed.
  double cores() const { return cores_; }

 private:
  struct Reading {
    double seconds, cpu_seconds;
  };
  std::optional<Reading> from_;
  double cores_ = 0;
};

}  // namespace kettle
