// SPDX-License-Identifier: Apache-2.0
// Quantiles of any number of samples in little memory.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>

namespace kettle {

// Counts samples in bins whose edges lie one hundredth apart: a quantile is within half a percent of the exact one, and
// exact where a bin holds one value; the largest sample is exact. What it takes grows with the samples' range, not with
// their number: some 2000 bins for nine powers of ten. (After Masson, Rim, Lee 2019, "DDSketch", section 2.)
class Quantiles {
 public:
  // Any finite number; all that are not above kLeast share a bin.
  void Add(double sample) {
    Bin& bin = bins_[sample <= kLeast ? kLowest : static_cast<int>(std::floor(std::log(sample / kLeast) / kWidth))];
    ++bin.count;
    bin.sum += sample;
    largest_ = count_ == 0 ? sample : std::max(largest_, sample);
    ++count_;
  }

  std::int64_t count() const { return count_; }

  // The q-quantile, 0 <= q <= 1, as `Quantile` in statistics.h defines it; 0 for no samples.
  double At(double q) const {
    if (count_ == 0) return 0;
    const double place = q * static_cast<double>(count_ - 1), below = std::floor(place);
    const double low = Sample(static_cast<std::int64_t>(below));
    if (place == below) return low;
    return low + (place - below) * (Sample(static_cast<std::int64_t>(below) + 1) - low);
  }

 private:
  static constexpr double kLeast = 1e-3, kWidth = 0.00995033;  // log 1.01
  static constexpr int kLowest = -1;
  struct Bin {
    std::int64_t count = 0;
    double sum = 0;
  };
  // The sample at that place in order: its bin's mean.
  double Sample(std::int64_t place) const {
    if (place == count_ - 1) return largest_;
    for (const auto& [index, bin] : bins_) {
      if (place < bin.count) return bin.sum / static_cast<double>(bin.count);
      place -= bin.count;
    }
    return largest_;
  }

  std::map<int, Bin> bins_;
  std::int64_t count_ = 0;
  double largest_ = 0;
};

}  // namespace kettle
