// SPDX-License-Identifier: Apache-2.0
// A whole run in real time: one source, several encodes at once, counted frame by frame.
#pragma once

#include <functional>

#include "kettle/realtime/pace_task.h"
#include "kettle/units/clock.h"

namespace kettle {

// Plays the footage in real time to all the task's encoders at once, each behind a queue of its own,
// and writes what they make. `progress` is called with 0..1 from the calling thread. Throws Error if an
// encoder does not open or fails in the middle.
PaceOutcome RunPaced(const PaceTask& task, Clock& clock, const std::function<void(double)>& progress);

}  // namespace kettle
