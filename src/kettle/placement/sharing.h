// SPDX-License-Identifier: Apache-2.0
// How two encodes on the CPU get along: all processors for both, the stream first by niceness, or divided among them.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "kettle/placement/step_down.h"

namespace kettle {

// The usable processors (by number, those of one core side by side) divided in proportion to what each encode takes
// alone, at least one for each; their encoders then open as many threads as those call for. Nothing unless both encodes
// are on the CPU and there are two processors.
std::optional<CoreShares> DivideCores(const Pair& pair, const std::vector<int>& usable);

// Whether each encode has room on its own part: what it takes alone, by its trials, and the headroom, in that part of
// the capacity. What the game leaves is taken to be spread evenly.
bool FitsDivided(const Pair& pair, const CoreShares& cores, const Capacity& capacity);

// Tries the last attempt of `proving`, which holds, with divided processors, if it fits so and frames had to wait: in a
// run in which no queue was ever half full there is nothing to gain. Where the stream's packets
// then come clearly sooner (99th percentile of the latency, by a fifth), and no room is lost, that becomes the last
// attempt. Gives the way that was not taken; nothing if there was nothing to try.
std::optional<Attempt> TryDivided(const std::vector<int>& usable, const Capacity& capacity,
                                  const std::function<Proof(const Pair&)>& prove, Proving& proving);

}  // namespace kettle
