// SPDX-License-Identifier: Apache-2.0
// Whether an encode slows down over a long run.
#pragma once

#include <string>
#include <vector>

#include "kettle/message/message.h"
#include "kettle/task/tasks.h"

namespace kettle {

// How throughput changed over a soak run.
struct Drift {
  double first_fps = 0, last_fps = 0;  // medians of the first and the last quarter of the windows
  double change = 0;                   // last over first, less 1
  double noise = 0;                    // half of the 95 % interval of that change, from the windows' own spread
  double lowest_fps = 0;               // of all windows
  double last_headroom = 0;            // 1 - frame rate / last_fps
  std::int64_t throttle_events = 0;
  bool disturbed = false;  // by neighbours, in a quarter of the windows or more
  enum class Verdict { kSteady, kSlows, kOverloads, kUnclear } verdict = Verdict::kUnclear;
};
const char* Name(Drift::Verdict verdict);  // "steady", "slows", "overloads", "unclear"

// Throws Error(kInput) for fewer than eight windows: two to a quarter.
Drift MeasureDrift(const std::vector<SoakWindow>& windows, FrameRate rate, double required_headroom);

// The verdict with its figures.
Message DriftMessage(const Drift& drift, double required_headroom);

}  // namespace kettle
