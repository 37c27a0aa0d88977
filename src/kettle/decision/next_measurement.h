// SPDX-License-Identifier: Apache-2.0
// What to measure next: whatever is expected to improve the decision most for each second that it takes. One rule for
// all that can be chosen between.
#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include "kettle/belief/estimate.h"

namespace kettle {

// One of those that can be chosen.
struct Rival {
  Estimate worth;      // in points of the score
  double holds = 0;    // the probability that the machine can do it
  double seconds = 1;  // that measuring it would take
  bool measured = false;
  double known_worth = 0;  // once measured
};

// The one that is best by what is known: the largest worth of those that are measured and hold more probably than not.
std::optional<std::size_t> Leader(const std::vector<Rival>& rivals);

// The one not measured with the largest expected improvement over the leader, times the probability that it holds, a
// second (Jones et al. 1998; per second: Snoek, Larochelle and Adams 2012, Practical Bayesian optimization, 3.2).
// Nothing if none promises as much as `worth_a_look` points.
std::optional<std::size_t> NextMeasurement(const std::vector<Rival>& rivals, double worth_a_look);

}  // namespace kettle
