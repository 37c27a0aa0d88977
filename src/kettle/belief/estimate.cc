// SPDX-License-Identifier: Apache-2.0
#include "kettle/belief/estimate.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace kettle {

double NormalDensity(double z) { return std::exp(-z * z / 2) / std::sqrt(2 * std::numbers::pi); }
double NormalCumulative(double z) { return std::erfc(-z / std::numbers::sqrt2) / 2; }

double ProbabilityAtMost(const Estimate& estimate, double limit) {
  if (estimate.deviation <= 0) return estimate.mean <= limit ? 1 : 0;
  return NormalCumulative((limit - estimate.mean) / estimate.deviation);
}

double ExpectedGain(const Estimate& estimate, double lead) {
  const double ahead = estimate.mean - lead;
  if (estimate.deviation <= 0) return std::max(0.0, ahead);
  const double z = ahead / estimate.deviation;
  return ahead * NormalCumulative(z) + estimate.deviation * NormalDensity(z);
}

Estimate Joined(const std::vector<Estimate>& looks) {
  double precision = 0, mean = 0;
  for (const Estimate& look : looks) {
    const double weight = 1 / (look.deviation * look.deviation);
    precision += weight;
    mean += weight * look.mean;
  }
  return {mean / precision, 1 / std::sqrt(precision)};
}

Estimate Sum(const Estimate& one, const Estimate& other) {
  return {one.mean + other.mean, std::hypot(one.deviation, other.deviation)};
}

Estimate Mixture(const std::vector<Belief>& beliefs) {
  double all = 0, mean = 0, variance = 0;
  for (const Belief& belief : beliefs) {
    all += belief.weight;
    mean += belief.weight * belief.estimate.mean;
  }
  mean /= all;
  for (const auto& [estimate, weight] : beliefs)
    variance += weight / all * (std::pow(estimate.deviation, 2) + std::pow(estimate.mean - mean, 2));
  return {mean, std::sqrt(variance)};
}

Estimate Above(const Estimate& estimate, double bound) {
  if (estimate.deviation <= 0) return {std::max(estimate.mean, bound), 0};
  const double z = (bound - estimate.mean) / estimate.deviation;
  // Mills' ratio, inverted; beyond eight deviations by its first terms (Abramowitz and Stegun 26.2.12).
  const double hazard = z < 8 ? NormalDensity(z) / NormalCumulative(-z) : z + 1 / z;
  const double left = std::max(0.0, 1 - hazard * (hazard - z));  // of the variance
  return {estimate.mean + estimate.deviation * hazard, estimate.deviation * std::sqrt(left)};
}

}  // namespace kettle
