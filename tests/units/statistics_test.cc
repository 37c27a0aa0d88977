// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/statistics.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace kettle {
namespace {

TEST(Quantile, IsEmptyForNoSamples) {
  EXPECT_EQ(Quantile({}, 0.5), std::nullopt);
  EXPECT_EQ(Mean({}), std::nullopt);
  EXPECT_EQ(PeakWindowSum({}, 3), std::nullopt);
}

TEST(Quantile, InterpolatesBetweenOrderStatistics) {
  EXPECT_DOUBLE_EQ(*Median({7}), 7);
  EXPECT_DOUBLE_EQ(*Median({4, 1}), 2.5);
  EXPECT_DOUBLE_EQ(*Median({3, 1, 2}), 2);
  EXPECT_DOUBLE_EQ(*Quantile({10, 20, 30, 40, 50}, 0.25), 20);
  EXPECT_DOUBLE_EQ(*Quantile({10, 20, 30, 40, 50}, 0.9), 46);
  EXPECT_DOUBLE_EQ(*Quantile({10, 20}, 1), 20);
  EXPECT_DOUBLE_EQ(*Quantile({1e-300, 1e300}, 0), 1e-300);
}

TEST(PeakWindowSum, FindsTheHighestWindow) {
  EXPECT_DOUBLE_EQ(*PeakWindowSum({1, 2, 9, 8, 1}, 2), 17);
  EXPECT_DOUBLE_EQ(*PeakWindowSum({5, 1, 1, 1}, 1), 5);
  EXPECT_DOUBLE_EQ(*PeakWindowSum({1, 2}, 10), 3);
}

TEST(WindowMeans, LeavesOutAShortRest) {
  EXPECT_EQ(WindowMeans({1, 3, 5, 7, 9}, 2), (std::vector<double>{2, 6, 9}));
  EXPECT_EQ(WindowMeans({2, 2, 2, 2, 8}, 4), (std::vector<double>{2}));
  EXPECT_EQ(WindowMeans({4}, 60), (std::vector<double>{4}));
  EXPECT_TRUE(WindowMeans({}, 60).empty());
}

TEST(TrimmedMean, LeavesTheExtremesOut) {
  EXPECT_EQ(TrimmedMeanOf({}), std::nullopt);
  EXPECT_EQ(WinsorizedDeviation({3}), std::nullopt);
  EXPECT_DOUBLE_EQ(TrimmedMeanOf({3})->mean, 3);
  EXPECT_DOUBLE_EQ(TrimmedMeanOf({3})->variance_share, 1);
  EXPECT_DOUBLE_EQ(TrimmedMeanOf({1, 2, 6})->mean, 3) << "of three none";
  EXPECT_DOUBLE_EQ(TrimmedMeanOf({1, 2, 6})->variance_share, 1. / 3) << "that of a mean";
  EXPECT_DOUBLE_EQ(TrimmedMeanOf({-1000, 4, 2, 3, 1000})->mean, 3);
  EXPECT_DOUBLE_EQ(*WinsorizedDeviation({-1000, 4, 2, 3, 1000}), 1) << "of 2, 2, 3, 4, 4";
}

// Of a normal distribution its standard error is 7 % above a mean's, of one with long tails far below it.
TEST(TrimmedMean, TellsItsOwnError) {
  std::mt19937 random(1);
  std::normal_distribution<double> core(0, 1), tail(0, 5);
  for (const double outliers : {0.0, 0.1}) {
    std::vector<double> means, told;
    for (int run = 0; run < 4000; ++run) {
      std::vector<double> samples;
      for (int i = 0; i < 40; ++i)
        samples.push_back(std::bernoulli_distribution(outliers)(random) ? tail(random) : core(random));
      const TrimmedMean mean = *TrimmedMeanOf(samples);
      means.push_back(mean.mean);
      told.push_back(mean.variance_share * std::pow(*WinsorizedDeviation(samples), 2));
    }
    EXPECT_NEAR(std::sqrt(*Mean(told)) / *Deviation(means), 1, 0.05);
    EXPECT_NEAR(*Deviation(means) * std::sqrt(40), outliers > 0 ? 1.22 : 1.07, 0.05);
  }
}

TEST(StudentT, IsThatOfTheTables) {
  EXPECT_NEAR(StudentT(1), 12.706, 5e-4);
  EXPECT_NEAR(StudentT(10), 2.228, 5e-4);
  EXPECT_NEAR(StudentT(100), 1.984, 5e-4);
}

}  // namespace
}  // namespace kettle
