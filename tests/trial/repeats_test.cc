// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/repeats.h"

#include <cmath>
#include <random>

#include "kettle/units/statistics.h"
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

TEST(PoolSpread, ByHand) {
  EXPECT_FALSE(PoolSpread({{100}, {}})) << "nothing varies that was measured once";
  // Logarithms 0.1 either side of two levels, and a single sample that tells nothing: squares 0.02 each, two degrees.
  const auto spread = PoolSpread({{std::exp(1.0), std::exp(1.2)}, {7}, {std::exp(5.0), std::exp(4.8)}});
  ASSERT_TRUE(spread);
  EXPECT_EQ(spread->degrees, 2u);
  EXPECT_NEAR(spread->deviation, std::sqrt(0.02), 1e-12);
  EXPECT_NEAR(MedianInterval(*spread, 1), 4.303 * std::sqrt(0.02), 1e-3);
  EXPECT_NEAR(MedianInterval(*spread, 4), 4.303 * 1.2533 * std::sqrt(0.02) / 2, 1e-3);
}

// Ten encodes, each measured once, twice or three times, that vary by 5 % of levels far apart: what the spread of all
// of them says of each holds about as often as it says, and says more than two repeats alone.
TEST(PoolSpread, HoldsTheTrueLevelAsOftenAsItSays) {
  std::mt19937 random(11);
  std::normal_distribution<double> normal(0, 0.05);
  constexpr int kBenches = 1000, kEncodes = 10;
  int held = 0;
  double pooled_width = 0, own_width = 0;
  for (int bench = 0; bench < kBenches; ++bench) {
    std::vector<std::vector<double>> series(kEncodes);
    for (int i = 0; i < kEncodes; ++i)
      for (int k = 0; k < 1 + i % 3; ++k)
        series[static_cast<std::size_t>(i)].push_back(50 * (i + 1) * std::exp(normal(random)));
    const PooledSpread spread = *PoolSpread(series);
    for (int i = 0; i < kEncodes; ++i) {
      const std::vector<double>& samples = series[static_cast<std::size_t>(i)];
      const double interval = MedianInterval(spread, samples.size());
      held += std::abs(std::log(*Median(samples) / (50.0 * (i + 1)))) <= interval;
      if (samples.size() == 2) pooled_width += interval, own_width += *MedianInterval(samples);
    }
  }
  EXPECT_NEAR(held / static_cast<double>(kBenches * kEncodes), 0.95, 0.02);
  EXPECT_LT(pooled_width, own_width / 2);
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
