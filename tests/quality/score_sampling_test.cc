// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/score_sampling.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "support.h"

namespace kettle {
namespace {

constexpr FrameRate k30{30, 1};

TEST(ScoredPictures, AreSoManyOfEverySecondAndNeverFarApart) {
  const std::vector<int> scored = ScoredPictures(300, k30, 4);
  ASSERT_EQ(scored.size(), 40u);
  for (int second = 0; second < 10; ++second)
    EXPECT_EQ(std::count_if(scored.begin(), scored.end(), [&](int p) { return p / 30 == second; }), 4) << second;
  for (std::size_t i = 1; i < scored.size(); ++i) {
    EXPECT_GT(scored[i], scored[i - 1]);
    EXPECT_LE(scored[i] - scored[i - 1], 15);
  }
}

TEST(ScoredPictures, MissNoPlaceInAGroupOfPictures) {
  std::set<int> places;
  for (const int picture : ScoredPictures(600, {60, 1}, 4)) places.insert(picture % 4);
  EXPECT_EQ(places.size(), 4u);
}

TEST(ScoredPictures, OfFewAreNoneTwiceAndNonePastTheEnd) {
  EXPECT_THAT(ScoredPictures(1, k30, 4), testing::ElementsAre(0));
  const std::vector<int> scored = ScoredPictures(40, k30, 8);
  EXPECT_LT(scored.back(), 40);
  EXPECT_EQ(SecondOf(39, 40, k30), 0) << "the rest belongs to the last second";
  EXPECT_EQ(SecondOf(30, 60, k30), 1);
}

TEST(PoolScores, WeighsSecondsAlikeHoweverManyOfThemWereScored) {
  // Two seconds: four pictures of 40, 40, 44, 44 and one of 80.
  const PooledScore pooled = PoolScores({{0, 40}, {5, 40}, {10, 44}, {20, 44}, {40, 80}}, 60, k30);
  EXPECT_DOUBLE_EQ(pooled.mean, 61);
  EXPECT_THAT(pooled.seconds, testing::ElementsAre(42, 80));
  // The variance of four is 16/3; of their mean, 4/3; half of that of both seconds' mean.
  EXPECT_NEAR(pooled.interval, 1.96 * std::sqrt(4.0 / 3) / 2, 1e-12);
}

TEST(PoolScores, ASecondWithoutAnyTakesTheMean) {
  EXPECT_THAT(PoolScores({{0, 10}, {65, 30}}, 90, k30).seconds, testing::ElementsAre(10, 20, 30));
}

}  // namespace
}  // namespace kettle
