// SPDX-License-Identifier: Apache-2.0
#include "kettle/curve/best_by_rate.h"

#include "support.h"

namespace kettle {
namespace {

// The second is better up to 2000 kbit/s, the first from there on; the third never.
const std::vector<RateCurve> kCurves{
    {{1000, 10}, {2000, 14}, {4000, 18}}, {{1000, 12}, {2000, 14}, {4000, 16}}, {{1000, 9}, {2000, 11}, {4000, 13}}};

TEST(BestByRate, ChangesWhereTheCurvesCross) {
  const auto stretches = BestByRate(kCurves);
  ASSERT_EQ(stretches.size(), 2u);
  EXPECT_EQ(stretches[0].curve, 1u);
  EXPECT_EQ(stretches[1].curve, 0u);
  EXPECT_NEAR(stretches[1].from_kbps, 2000, 20);
  EXPECT_NEAR(stretches[0].from_kbps, 1000, 1);
  EXPECT_NEAR(stretches[1].to_kbps, 4000, 1);
}

TEST(BestByRate, CountsOnlyWhatAllCover) {
  EXPECT_TRUE(BestByRate({{{1000, 10}, {2000, 12}}, {{3000, 10}, {4000, 12}}}).empty());
  EXPECT_TRUE(BestByRate({}).empty());
  const auto stretches = BestByRate({{{1000, 10}, {2000, 12}}, {}, {{1500, 9}, {4000, 12}}});
  ASSERT_EQ(stretches.size(), 1u);
  EXPECT_NEAR(stretches[0].from_kbps, 1500, 1);
  EXPECT_NEAR(stretches[0].to_kbps, 2000, 1);
}

TEST(ConvexHull, HoldsTheOutermostPoints) {
  const auto hull = ConvexHull(kCurves);
  ASSERT_GE(hull.size(), 2u);
  EXPECT_EQ(hull.front().kbps, 1000);
  EXPECT_EQ(hull.front().curve, 1u);
  EXPECT_EQ(hull.back().kbps, 4000);
  EXPECT_EQ(hull.back().curve, 0u);
  for (const HullPoint& point : hull) EXPECT_NE(point.curve, 2u);
}

TEST(ConvexHull, LeavesOutWhatLiesBelowTheLineAndWhatCostsMoreForLess) {
  const auto hull = ConvexHull({{{1000, 10}, {2000, 10.5}, {4000, 14}, {5000, 13}}});
  ASSERT_EQ(hull.size(), 2u);
  EXPECT_EQ(hull[1].kbps, 4000);
}

TEST(ConvexHull, EncodesThatMissTheRateByAHairAreAtTheSameRate) {
  EXPECT_EQ(ConvexHull({{{1000, 9}}, {{1005, 11}}, {{4000, 14}}}).front().quality, 11);
}

}  // namespace
}  // namespace kettle
