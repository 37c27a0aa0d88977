// SPDX-License-Identifier: Apache-2.0
#pragma once

#include <functional>

#include "kettle/trial/tasks.h"
#include "kettle/units/clock.h"

namespace kettle {

// Frames that an encoder of its own swallows before the measured one starts, to warm caches and clocks.
inline constexpr int kWarmUpFrames = 12;

// Encodes the footage once, frames as fast as the encoder takes them, and measures it. Packets are
// kept in memory and written only after the clock has stopped. `progress` is called with 0..1.
// Throws Error.
EncodeOutcome RunUnpaced(const EncodeTask& task, const Clock& clock, const std::function<void(double)>& progress);

// Opens the encoder and encodes a few grey frames. Never throws for an encoder that does not work.
ProbeOutcome RunProbe(const ProbeTask& task);

}  // namespace kettle
