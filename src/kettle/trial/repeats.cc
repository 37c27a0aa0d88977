// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/repeats.h"

#include <array>
#include <cmath>
#include <numbers>

#include "kettle/units/statistics.h"

namespace kettle {

namespace {

// Student's t, two-sided 95 %, by degrees of freedom from 1; from 30 on the normal distribution's value is near enough.
constexpr std::array kStudent = {12.706, 4.303, 3.182, 2.776, 2.571, 2.447, 2.365, 2.306, 2.262, 2.228,
                                 2.201,  2.179, 2.160, 2.145, 2.131, 2.120, 2.110, 2.101, 2.093, 2.086,
                                 2.080,  2.074, 2.069, 2.064, 2.060, 2.056, 2.052, 2.048, 2.045, 2.042};
constexpr double kNormal = 1.960;

}  // namespace

std::optional<double> MedianInterval(const std::vector<double>& samples) {
  const std::size_t n = samples.size();
  if (n < 2) return std::nullopt;
  const double mean = *Mean(samples), median = *Median(samples);
  if (median == 0) return std::nullopt;
  double squares = 0;
  for (const double sample : samples) squares += (sample - mean) * (sample - mean);
  const double deviation = std::sqrt(squares / static_cast<double>(n - 1));
  const double t = n - 1 <= kStudent.size() ? kStudent[n - 2] : kNormal;
  return t * std::sqrt(std::numbers::pi / 2) * deviation / std::sqrt(static_cast<double>(n)) / std::abs(median);
}

bool Settled(const std::vector<double>& samples, const RepeatRules& rules) {
  const int count = static_cast<int>(samples.size());
  if (count >= rules.most) return true;
  const auto interval = MedianInterval(samples);
  return count >= rules.least && interval && *interval <= rules.tolerance;
}

}  // namespace kettle
