// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/frame_rate_loss.h"

#include "support.h"

namespace kettle {
namespace {

constexpr FrameRate k144{144, 1}, k72{72, 1}, k60{60, 1}, k30{30, 1}, k20{20, 1};

TEST(FrameRateShare, IsWholeAtTheSourcesRateAndFallsWithTheRate) {
  for (const double speed : {0.5, 4.0, 16.0, 100.0}) {
    EXPECT_DOUBLE_EQ(FrameRateShare(k60, k60, {speed}), 1);
    EXPECT_LT(FrameRateShare(k30, k60, {speed}), 1);
    EXPECT_LT(FrameRateShare(k20, k60, {speed}), FrameRateShare(k30, k60, {speed}));
  }
}

TEST(FrameRateShare, TakesNothingFromWhatStands) {
  EXPECT_DOUBLE_EQ(FrameRateShare(k20, k60, {0}), 1);
  EXPECT_DOUBLE_EQ(FrameRateShare(k20, k60, {}), 1) << "nothing to follow";
}

TEST(FrameRateShare, TakesMoreFromWhatMoves) {
  EXPECT_GT(FrameRateShare(k30, k60, {0.5}), FrameRateShare(k30, k60, {2}));
  EXPECT_GT(FrameRateShare(k30, k60, {2}), FrameRateShare(k30, k60, {16}));
  EXPECT_DOUBLE_EQ(FrameRateShare(k30, k60, {0, 0, 0, 16}), FrameRateShare(k30, k60, {16}))
      << "what moves is looked at, what stands beside it or not";
  EXPECT_GT(FrameRateShare(k30, k60, {0, 0, 0, 0, 16, 0, 0, 0}), FrameRateShare(k30, k60, {16}) + 0.1)
      << "less than a quarter of the picture is not all that is looked at";
}

// One pixel in each picture of 60 a second at 1280x720 is slow, sixteen are a quick turn.
TEST(FrameRateShare, OfAQuickTurnHalfTheFramesLeaveThreeQuarters) {
  EXPECT_NEAR(FrameRateShare(k30, k60, {1}), 0.971, 0.005);
  EXPECT_NEAR(FrameRateShare(k30, k60, {16}), 0.733, 0.005);
}

// The eye follows no faster than 80 degrees a second.
TEST(FrameRateShare, SaturatesWhereTheEyeDoes) {
  EXPECT_DOUBLE_EQ(FrameRateShare(k30, k60, {100}), FrameRateShare(k30, k60, {300}));
}

TEST(FrameRateShare, CostsLessWhereTheFramesThatAreLeftAreMany) {
  EXPECT_GT(FrameRateShare(k72, k144, {2}), FrameRateShare(k30, k60, {2}));
}

}  // namespace
}  // namespace kettle
