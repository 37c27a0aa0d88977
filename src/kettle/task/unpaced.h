// SPDX-License-Identifier: Apache-2.0
// Encodes as fast as the encoder goes: for some seconds, or for long.
#pragma once

#include <functional>

#include "kettle/task/tasks.h"
#include "kettle/units/clock.h"

namespace kettle {

// Frames that an encoder of its own swallows before the measured one starts, to warm caches and clocks.
inline constexpr int kWarmUpFrames = 4;

// Encodes the footage once, frames as fast as the encoder takes them, and measures it. Packets are
// kept in memory and written only after the clock has stopped. One that is given up for its pace is not finished: what
// the encoder holds back is thrown away, and the figures are of what came out after the first packet. `progress` is
// called with 0..1, first when the footage is mapped, and then several times a second. Throws Error.
EncodeOutcome RunUnpaced(const EncodeTask& task, const Clock& clock, const std::function<void(double)>& progress);

// The reference encode, once the task's time has passed.
LookOutcome RunLook(const LookTask& task, Clock& clock, const std::function<void(double)>& progress);

// Encodes the footage over and over with one encoder, and counts frames window by window. Throws Error.
SoakOutcome RunSoak(const SoakTask& task, const Clock& clock, const std::function<void(double)>& progress);

}  // namespace kettle
