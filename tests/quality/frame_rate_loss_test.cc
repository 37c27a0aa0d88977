// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/frame_rate_loss.h"

#include "support.h"

namespace kettle {
namespace {

constexpr FrameRate k60{60, 1}, k30{30, 1}, k20{20, 1}, k120{120, 1};

TEST(FrameRateShare, IsWholeAtTheSourcesRateAndFallsWithTheRate) {
  for (const double motion : {0.0, 4.0, 16.0, 100.0}) {
    EXPECT_DOUBLE_EQ(FrameRateShare(k60, k60, motion), 1);
    EXPECT_DOUBLE_EQ(FrameRateShare(k60, k120, motion), 1) << "more than 60 counts as 60";
    EXPECT_LT(FrameRateShare(k30, k60, motion), 1);
    EXPECT_LT(FrameRateShare(k20, k60, motion), FrameRateShare(k30, k60, motion));
  }
}

TEST(FrameRateShare, TakesMoreFromWhatMoves) {
  EXPECT_NEAR(FrameRateShare(k30, k60, 0), 0.993, 0.001);
  EXPECT_NEAR(FrameRateShare(k30, k60, 8), 0.750, 0.001);
  EXPECT_GT(FrameRateShare(k30, k60, 4), FrameRateShare(k30, k60, 6));
  EXPECT_DOUBLE_EQ(FrameRateShare(k30, k60, 8), FrameRateShare(k30, k60, 50));
  // A source at 30 loses more by halving than one at 60.
  EXPECT_LT(FrameRateShare({15, 1}, k30, 4), FrameRateShare(k30, k60, 4));
}

TEST(MotionBetween, IsTheMeanDifferenceOfLuma) {
  const FramePtr a = NewPicture({64, 32}), b = NewPicture({64, 32});
  for (int y = 0; y < 32; ++y)
    for (int x = 0; x < 64; ++x) {
      a->data[0][y * a->linesize[0] + x] = 100;
      b->data[0][y * b->linesize[0] + x] = static_cast<std::uint8_t>(x < 32 ? 100 : 90);
    }
  EXPECT_DOUBLE_EQ(MotionBetween(LumaOf(*a), LumaOf(*a)), 0);
  EXPECT_DOUBLE_EQ(MotionBetween(LumaOf(*a), LumaOf(*b)), 5);
}

}  // namespace
}  // namespace kettle
