// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/repeats.h"

#include <cmath>
#include <random>

#include "support.h"

namespace kettle {
namespace {

TEST(MedianInterval, NeedsTwoSamples) {
  EXPECT_FALSE(MedianInterval({}));
  EXPECT_FALSE(MedianInterval({5}));
  EXPECT_FALSE(MedianInterval({-1, 1})) << "a share of nothing";
  EXPECT_DOUBLE_EQ(*MedianInterval({7, 7, 7}), 0);
}

TEST(MedianInterval, ByHand) {
  // Mean and median 100, deviation 1: t(2) = 4.303, times sqrt(pi / 2) / sqrt(3).
  EXPECT_NEAR(*MedianInterval({99, 100, 101}), 4.303 * 1.2533 / std::sqrt(3.0) / 100, 1e-4);
}

// What the interval promises: of many series, it holds the true median in about 95 of 100.
TEST(MedianInterval, HoldsTheTrueMedianAsOftenAsItSays) {
  std::mt19937 random(7);
  std::normal_distribution<double> normal(100, 5);
  for (const int count : {3, 5, 9}) {
    int held = 0;
    constexpr int kSeries = 4000;
    for (int i = 0; i < kSeries; ++i) {
      std::vector<double> samples;
      for (int k = 0; k < count; ++k) samples.push_back(normal(random));
      std::vector<double> sorted = samples;
      std::sort(sorted.begin(), sorted.end());
      const double median = sorted[static_cast<std::size_t>(count / 2)];
      held += std::abs(median - 100) <= *MedianInterval(samples) * median;
    }
    EXPECT_NEAR(static_cast<double>(held) / kSeries, 0.95, 0.025) << count;
  }
}

TEST(Settled, TightEnoughOrOftenEnough) {
  const RepeatRules rules{3, 5, 0.03};
  EXPECT_FALSE(Settled({100, 100}, rules)) << "three at least";
  EXPECT_TRUE(Settled({100, 100.1, 100.2}, rules));
  EXPECT_FALSE(Settled({100, 110, 120}, rules));
  EXPECT_TRUE(Settled({100, 110, 120, 90, 95}, rules)) << "the limit is reached";
}

}  // namespace
}  // namespace kettle
