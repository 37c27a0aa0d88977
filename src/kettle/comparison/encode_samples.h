// SPDX-License-Identifier: Apache-2.0
// The repeats of a run's encodes, with what the machine did to all of them at once taken out.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "kettle/trial/trial.h"

namespace kettle {

using Samples = std::vector<double>;  // logarithms, one a repeat

struct EncodeSamples {
  std::vector<Samples> encodes;  // in the trials' order
  int rounds = 0;                // whose common part was taken out
  // Standard error of what all encodes have in common, by how it moved from a quarter of the run to the next; 0 where
  // no round was told apart.
  double drift = 0;
};

// `value` of a repeat, above zero; nothing: that trial has none.
//
// A bench measures its encodes in turn, one repeat each a round. A machine whose clock or whose neighbours change from
// minute to minute moves all encodes of a round alike. Where four or more ran in a round, its common part is that of a
// least-squares fit of level of the encode + part of the round (the two-way layout; Montgomery, Design and Analysis of
// Experiments, chapter 4, where rounds are the blocks). The mean of the parts stays in, for it is the run's level.
EncodeSamples SamplesOf(const std::vector<const Trial*>& trials,
                        const std::function<std::optional<double>(const Trial&, const Repeat&)>& value);

inline constexpr std::size_t kEnoughForCommon = 4;  // encodes, to tell apart what they have in common

}  // namespace kettle
