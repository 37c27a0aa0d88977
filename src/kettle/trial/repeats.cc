// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/repeats.h"

#include <cmath>
#include <numbers>

#include "kettle/units/statistics.h"

namespace kettle {

std::optional<double> MedianInterval(const std::vector<double>& samples) {
  const auto interval = MeanInterval(samples);
  const double median = Median(samples).value_or(0);
  if (!interval || median == 0) return std::nullopt;
  return std::sqrt(std::numbers::pi / 2) * *interval / std::abs(median);
}

bool Settled(const std::vector<double>& samples, const RepeatRules& rules) {
  const int count = static_cast<int>(samples.size());
  if (count >= rules.most) return true;
  const auto interval = MedianInterval(samples);
  return count >= rules.least && interval && *interval <= rules.tolerance;
}

}  // namespace kettle
