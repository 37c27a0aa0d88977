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
  const PooledScore pooled =
      PoolScores({{0, 40}, {5, 40}, {10, 44}, {20, 44}, {40, 80}}, std::vector<double>(60, 0.9), k30);
  EXPECT_DOUBLE_EQ(pooled.mean, 61);
  EXPECT_THAT(pooled.seconds, testing::ElementsAre(42, 80));
  // One picture's variance is 16/3; that of means of four and of one of thirty follows, and half of their sum's root.
  const double variance = 16.0 / 3 / 4 * (1 - 4.0 / 30) + 16.0 / 3 * (1 - 1.0 / 30);
  EXPECT_NEAR(pooled.interval, 1.96 * std::sqrt(variance) / 2, 1e-12);
}

TEST(PoolScores, ASecondWithoutAnyTakesTheMean) {
  EXPECT_THAT(PoolScores({{0, 10}, {65, 30}}, std::vector<double>(90, 0.9), k30).seconds,
              testing::ElementsAre(10, 20, 30));
}

// Every third picture is a good one, of similarity 0.95 and a score of 70; the others have 0.9 and 50.
TEST(PoolScores, WhichPicturesWereScoredMattersLittleWhereSimilarityTells) {
  std::vector<double> similarity;
  for (int i = 0; i < 60; ++i) similarity.push_back(i % 3 == 0 ? 0.95 : 0.9);
  const PooledScore lucky = PoolScores({{0, 70}, {3, 70}, {7, 50}, {30, 70}, {33, 70}, {40, 50}}, similarity, k30);
  EXPECT_NEAR(lucky.mean, (70 + 2 * 50) / 3.0, 1e-9) << "four of six are good ones, of all a third";
  EXPECT_NEAR(lucky.interval, 0, 1e-9);
}

TEST(PoolScores, SecondsThatLookDifferentDoNotMakeTheSlope) {
  // The second second is less similar but looks better: no reason to think so of its pictures.
  std::vector<double> similarity(30, 0.95);
  similarity.resize(60, 0.9);
  const PooledScore pooled = PoolScores({{0, 40}, {9, 42}, {35, 60}, {50, 62}}, similarity, k30);
  EXPECT_THAT(pooled.seconds, testing::ElementsAre(41, 61));
}

TEST(PoolScores, IsCertainWhereAllWereScored) {
  const PooledScore pooled = PoolScores({{0, 40}, {1, 50}, {2, 45}}, {0.9, 0.92, 0.89}, {3, 1});
  EXPECT_NEAR(pooled.mean, 45, 1e-9);
  EXPECT_NEAR(pooled.interval, 0, 1e-9);
}

}  // namespace
}  // namespace kettle
