// SPDX-License-Identifier: Apache-2.0
// Estimators: pure functions with fixed definitions. All are empty for no samples, never 0.
#pragma once

#include <cstddef>
#include <optional>
#include <vector>

namespace kettle {

std::optional<double> Mean(const std::vector<double>& samples);

// The q-quantile, 0 <= q <= 1, by linear interpolation between order statistics (Hyndman and Fan
// 1996, definition 7).
std::optional<double> Quantile(std::vector<double> samples, double q);

inline std::optional<double> Median(std::vector<double> samples) { return Quantile(std::move(samples), 0.5); }

// The largest sum over any `window` neighbouring samples; over all of them if there are fewer.
// `window` must be at least 1.
std::optional<double> PeakWindowSum(const std::vector<double>& samples, std::size_t window);

// Of the population that the samples are from (n - 1); nothing for fewer than two.
std::optional<double> Deviation(const std::vector<double>& samples);

// The mean without the lowest and the highest fifth of the samples (rounded down), and the share of a variance that it
// has as its own: `variance_share` times the squared WinsorizedDeviation() is the squared standard error (Yuen 1974,
// Biometrika 61, 165-170). Of single samples the share is 1.
struct TrimmedMean {
  double mean = 0, variance_share = 1;
  int degrees = 0;  // of freedom of that error
};
std::optional<TrimmedMean> TrimmedMeanOf(std::vector<double> samples);

// Of the samples with those that a trimmed mean leaves out replaced by their nearest neighbours that it does not.
std::optional<double> WinsorizedDeviation(std::vector<double> samples);

// Student's t, two-sided 95 %, for `degrees` of freedom, at least 1.
double StudentT(std::size_t degrees);

// Half the width of the 95 % interval of the samples' mean; nothing for fewer than two.
std::optional<double> MeanInterval(const std::vector<double>& samples);

// The means of consecutive, non-overlapping windows; a last window of less than half is left out
// unless it is the only one. `window` must be at least 1.
std::vector<double> WindowMeans(const std::vector<double>& samples, std::size_t window);

}  // namespace kettle
