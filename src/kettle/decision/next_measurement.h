// SPDX-License-Identifier: Apache-2.0
// What to measure next: whatever is expected to improve the decision most for each second that it takes. One rule for
// all that can be chosen between.
#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include "kettle/belief/estimate.h"

namespace kettle {

// One of those that can be chosen and were not measured.
struct Rival {
  Estimate worth;      // in points of the score
  double holds = 0;    // the probability that the machine can do it
  double seconds = 1;  // that measuring it would take
};

// By how much it is expected to improve on `lead`.
double Promise(const Rival& rival, double lead);

// The one with the largest expected improvement over the leader's worth, times the probability that it holds, a second
// (Jones et al. 1998; per second: Snoek, Larochelle and Adams 2012, Practical Bayesian optimization, 3.2). Nothing if
// none promises as much as `worth_a_look` points.
std::optional<std::size_t> NextMeasurement(const std::vector<Rival>& rivals, double lead, double worth_a_look);

}  // namespace kettle
