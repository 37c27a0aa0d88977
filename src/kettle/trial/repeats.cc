// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/repeats.h"

#include <cmath>
#include <numbers>

#include "kettle/units/statistics.h"

namespace kettle {

namespace {

const double kMedianOverMean = std::sqrt(std::numbers::pi / 2);  // standard errors

}  // namespace

std::optional<double> MedianInterval(const std::vector<double>& samples) {
  const auto interval = MeanInterval(samples);
  const double median = Median(samples).value_or(0);
  if (!interval || median == 0) return std::nullopt;
  return kMedianOverMean * *interval / std::abs(median);
}

std::optional<PooledSpread> PoolSpread(const std::vector<std::vector<double>>& series) {
  double squares = 0;
  PooledSpread spread;
  for (const std::vector<double>& samples : series) {
    std::vector<double> logarithms;
    for (const double sample : samples) logarithms.push_back(std::log(sample));
    const auto deviation = Deviation(logarithms);
    if (!deviation) continue;
    squares += *deviation * *deviation * static_cast<double>(samples.size() - 1);
    spread.degrees += samples.size() - 1;
  }
  if (spread.degrees == 0) return std::nullopt;
  spread.deviation = std::sqrt(squares / static_cast<double>(spread.degrees));
  return spread;
}

double MedianInterval(const PooledSpread& spread, std::size_t count) {
  const double error = spread.deviation / std::sqrt(static_cast<double>(count));
  return StudentT(spread.degrees) * error * (count > 2 ? kMedianOverMean : 1);
}

bool Settled(const std::vector<double>& samples, const RepeatRules& rules) {
  const int count = static_cast<int>(samples.size());
  if (count >= rules.most) return true;
  const auto interval = MedianInterval(samples);
  return count >= rules.least && interval && *interval <= rules.tolerance;
}

}  // namespace kettle
