// SPDX-License-Identifier: Apache-2.0
// When a figure that varies has been measured often enough.
#pragma once

#include <optional>
#include <vector>

namespace kettle {

// Half the width of the 95 % interval of the median of `samples`, as a share of the median: Student's t for n - 1
// degrees of freedom (two-sided 0.975) times the median's standard error, which for samples of a normal
// distribution is sqrt(pi / 2) of the mean's (Kendall and Stuart, The Advanced Theory of Statistics, volume 1, 10.10).
// Nothing for fewer than two samples, or if the median is zero.
std::optional<double> MedianInterval(const std::vector<double>& samples);

struct RepeatRules {
  int least = 3, most = 5;
  double tolerance = 0.03;  // of the interval
};

// True if no further repeat is called for: the interval is tight, or the limit reached.
bool Settled(const std::vector<double>& samples, const RepeatRules& rules);

}  // namespace kettle
