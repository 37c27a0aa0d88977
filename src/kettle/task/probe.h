// SPDX-License-Identifier: Apache-2.0
// Does an encoder work here, and how far does it go?
#pragma once

#include "kettle/task/tasks.h"

namespace kettle {

// Opens the encoder and encodes a few grey frames. Never throws for an encoder that does not work.
ProbeOutcome RunProbe(const ProbeTask& task);

// How far an encoder goes that works with these settings: B-frames, 10 bit; on a GPU the largest of the usual sizes,
// and encodes at once, opened until one is refused. Never throws.
LimitsOutcome RunLimits(const ProbeTask& task);

}  // namespace kettle
