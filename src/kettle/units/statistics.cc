// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/statistics.h"

#include <algorithm>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <numeric>

namespace kettle {

std::optional<double> Mean(const std::vector<double>& samples) {
  if (samples.empty()) return std::nullopt;
  return std::accumulate(samples.begin(), samples.end(), 0.0) / static_cast<double>(samples.size());
}

std::optional<double> Quantile(std::vector<double> samples, double q) {
  if (samples.empty()) return std::nullopt;
  std::sort(samples.begin(), samples.end());
  const double position = q * static_cast<double>(samples.size() - 1);
  const auto below = static_cast<std::size_t>(std::floor(position));
  const std::size_t above = std::min(below + 1, samples.size() - 1);
  const double fraction = position - static_cast<double>(below);
  return samples[below] + fraction * (samples[above] - samples[below]);
}

std::optional<double> PeakWindowSum(const std::vector<double>& samples, std::size_t window) {
  if (samples.empty()) return std::nullopt;
  const std::size_t first = std::min(window, samples.size());
  double sum = std::accumulate(samples.begin(), samples.begin() + static_cast<std::ptrdiff_t>(first), 0.0);
  double peak = sum;
  for (std::size_t i = first; i < samples.size(); ++i) {
    sum += samples[i] - samples[i - first];
    peak = std::max(peak, sum);
  }
  return peak;
}

double StudentT(std::size_t degrees) {
  constexpr double kEitherSide = 0.025;
  const boost::math::students_t distribution(static_cast<double>(degrees));
  return quantile(complement(distribution, kEitherSide));
}

std::optional<double> Deviation(const std::vector<double>& samples) {
  if (samples.size() < 2) return std::nullopt;
  const double mean = *Mean(samples);
  double squares = 0;
  for (const double sample : samples) squares += (sample - mean) * (sample - mean);
  return std::sqrt(squares / static_cast<double>(samples.size() - 1));
}

namespace {

std::size_t TrimmedOnASide(std::size_t count) { return count / 5; }

}  // namespace

std::optional<TrimmedMean> TrimmedMeanOf(std::vector<double> samples) {
  if (samples.empty()) return std::nullopt;
  std::sort(samples.begin(), samples.end());
  const std::size_t count = samples.size(), aside = TrimmedOnASide(count), left = count - 2 * aside;
  const auto from = samples.begin() + static_cast<std::ptrdiff_t>(aside);
  const double mean = std::accumulate(from, from + static_cast<std::ptrdiff_t>(left), 0.0) / static_cast<double>(left);
  if (count == 1) return TrimmedMean{mean};
  return TrimmedMean{mean, static_cast<double>(count - 1) / static_cast<double>(left * (left - 1)),
                     static_cast<int>(left) - 1};
}

std::optional<double> WinsorizedDeviation(std::vector<double> samples) {
  if (samples.size() < 2) return std::nullopt;
  std::sort(samples.begin(), samples.end());
  const std::size_t aside = TrimmedOnASide(samples.size()), last = samples.size() - 1 - aside;
  for (double& sample : samples) sample = std::clamp(sample, samples[aside], samples[last]);
  return Deviation(samples);
}

std::optional<double> MeanInterval(const std::vector<double>& samples) {
  const auto deviation = Deviation(samples);
  if (!deviation) return std::nullopt;
  return StudentT(samples.size() - 1) * *deviation / std::sqrt(static_cast<double>(samples.size()));
}

std::vector<double> WindowMeans(const std::vector<double>& samples, std::size_t window) {
  std::vector<double> means;
  for (std::size_t start = 0; start < samples.size(); start += window) {
    const std::size_t count = std::min(window, samples.size() - start);
    if (count * 2 < window && !means.empty()) break;
    const auto begin = samples.begin() + static_cast<std::ptrdiff_t>(start);
    means.push_back(std::accumulate(begin, begin + static_cast<std::ptrdiff_t>(count), 0.0) /
                    static_cast<double>(count));
  }
  return means;
}

}  // namespace kettle
