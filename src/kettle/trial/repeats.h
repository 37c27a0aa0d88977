// SPDX-License-Identifier: Apache-2.0
// How far a figure that varies from one repeat to the next is known, and when it has been measured often enough.
#pragma once

#include <cstddef>
#include <optional>
#include <vector>

namespace kettle {

// Half the width of the 95 % interval of the median of `samples`, as a share of the median: Student's t for n - 1
// degrees of freedom (two-sided 0.975) times the median's standard error, which for samples of a normal
// distribution is sqrt(pi / 2) of the mean's (Kendall and Stuart, The Advanced Theory of Statistics, volume 1, 10.10).
// Nothing for fewer than two samples, or if the median is zero.
std::optional<double> MedianInterval(const std::vector<double>& samples);

// How much single samples vary around the level of their own series, by all series together: each gives too few to
// tell.
struct PooledSpread {
  double deviation = 0;     // of the samples' logarithms: a share of the level
  std::size_t degrees = 0;  // of freedom, at least 1
};
// The samples must be above zero. Nothing if no series has two.
std::optional<PooledSpread> PoolSpread(const std::vector<std::vector<double>>& series);

// Half the width of the 95 % interval of the median of `count` samples (at least one) that vary by `spread`, as a share
// of the median: as above, with the pooled deviation and its degrees of freedom. Of one or two samples the median is
// the mean.
double MedianInterval(const PooledSpread& spread, std::size_t count);

struct RepeatRules {
  int least = 3, most = 5;
  double tolerance = 0.03;  // of the interval
};

// True if no further repeat is called for: the interval is tight, or the limit reached.
bool Settled(const std::vector<double>& samples, const RepeatRules& rules);

}  // namespace kettle
