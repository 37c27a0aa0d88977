// SPDX-License-Identifier: Apache-2.0
// A number that is not known exactly: a Normal distribution, and what decisions ask of one.
#pragma once

#include <vector>

namespace kettle {

struct Estimate {
  double mean = 0;
  double deviation = 0;  // standard, never negative
};

// The standard Normal distribution's density and cumulative distribution.
double NormalDensity(double z);
double NormalCumulative(double z);

// How probable it is that the number is at most `limit`.
double ProbabilityAtMost(const Estimate& estimate, double limit);

// By how much it is expected to exceed `lead`, counting nothing where it does not (expected improvement: Jones,
// Schonlau and Welch 1998, Journal of Global Optimization 13, equation 15).
double ExpectedGain(const Estimate& estimate, double lead);

// What several independent looks at the same number tell together: each counts by its precision. At least one; all
// deviations above zero.
Estimate Joined(const std::vector<Estimate>& looks);

// Of two that are independent.
Estimate Sum(const Estimate& one, const Estimate& other);

// One of several beliefs, of which only one is right: how probable it is that it is this one, against the others.
struct Belief {
  Estimate estimate;
  double weight = 0;
};
// What they tell together: the mean and deviation of their mixture. At least one must weigh something.
Estimate Mixture(const std::vector<Belief>& beliefs);

// What is believed of a number once it is known to exceed `bound`: the mean and deviation of the Normal distribution
// cut off there. An estimate far below the bound becomes the bound.
Estimate Above(const Estimate& estimate, double bound);

}  // namespace kettle
