// SPDX-License-Identifier: Apache-2.0
// Finds the slowest preset that keeps pace with few trials.
#pragma once

#include <functional>

namespace kettle {

// The largest index below `count` for which `holds` is true, given that it is true up to some index and
// false from there on; -1 if there is none. Throughput falls along an encoder's presets, so not all of
// them need a trial. Asks about `first_guess` first and then about the one beside it, for a guess is mostly near; from
// there on, or without a guess (below zero), halves what is left: at most 2 + ceil(log2(count + 1)) times.
int LastHolding(int count, const std::function<bool(int)>& holds, int first_guess = -1);

}  // namespace kettle
