// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/statistics.h"

#include <gtest/gtest.h>

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

TEST(StudentT, IsThatOfTheTables) {
  EXPECT_NEAR(StudentT(1), 12.706, 5e-4);
  EXPECT_NEAR(StudentT(10), 2.228, 5e-4);
  EXPECT_NEAR(StudentT(100), 1.984, 5e-4);
}

}  // namespace
}  // namespace kettle
