// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/content.h"

#include <cmath>

#include "support.h"

namespace kettle {
namespace {

std::shared_ptr<const AVFrame> Picture(const std::function<int(int x, int y)>& luma) {
  FramePtr picture = NewPicture({64, 64});
  for (int y = 0; y < 64; ++y)
    for (int x = 0; x < 64; ++x) picture->data[0][y * picture->linesize[0] + x] = static_cast<std::uint8_t>(luma(x, y));
  return {picture.release(), LibavDeleter()};
}

TEST(SpatialInformation, OfAFlatPictureIsNoneAndOfAnEdgeByHand) {
  EXPECT_EQ(SpatialInformation(LumaOf(*Picture([](int, int) { return 90; }))), 0);
  // A step of 10 between columns 31 and 32: the gradient is 4 * 10 in two of 62 columns, 0 elsewhere.
  const double share = 2.0 / 62, expected = 40 * std::sqrt(share * (1 - share));
  EXPECT_NEAR(SpatialInformation(LumaOf(*Picture([](int x, int) { return x < 32 ? 90 : 100; }))), expected, 1e-3);
}

TEST(TemporalInformation, IsTheSpreadOfTheDifference) {
  const auto flat = Picture([](int, int) { return 90; }), brighter = Picture([](int, int) { return 120; }),
             half = Picture([](int x, int) { return x < 32 ? 90 : 110; });
  EXPECT_EQ(TemporalInformation(LumaOf(*flat), LumaOf(*flat)), 0);
  EXPECT_EQ(TemporalInformation(LumaOf(*brighter), LumaOf(*flat)), 0) << "a change all over is no motion";
  EXPECT_NEAR(TemporalInformation(LumaOf(*half), LumaOf(*flat)), 10, 1e-9);
}

// A pattern that moves by `speed` samples a second.
Content Moving(FrameRate rate, double seconds, const std::function<double(double t)>& place) {
  ContentMeter meter(rate);
  for (int i = 0; i < seconds * rate.fps(); ++i) {
    const double shift = place(i / rate.fps());
    meter.Add(Picture(
        [&](int x, int y) { return 128 + static_cast<int>(60 * std::sin((x + shift) / 5) * std::cos(y / 7.0)); }));
  }
  return meter.Result();
}

TEST(ContentMeter, MotionMeansTheSameAtEveryFrameRate) {
  const auto steady = [](double t) { return 40 * t; };
  const Content at_60 = Moving({60, 1}, 2, steady), at_30 = Moving({30, 1}, 2, steady);
  EXPECT_NEAR(at_60.motion, at_30.motion, 0.1 * at_30.motion);
  EXPECT_LT(at_60.mean_ti, 0.7 * at_30.mean_ti) << "P.910's own figure halves";
  EXPECT_EQ(Moving({30, 1}, 1, [](double) { return 0.0; }).word(), "still");
}

TEST(ContentMeter, FindsTheBusiestAndTheCalmestSecond) {
  const Content content = Moving({25, 1}, 4, [](double t) {
    return t < 1 ? 20 * t : t < 2 ? 20.0 : t < 3 ? 20 + 90 * (t - 2) : 110 + 20 * (t - 3);
  });
  EXPECT_EQ(content.busiest_second, 2);
  EXPECT_EQ(content.calmest_second, 1);
  EXPECT_GE(content.ti, content.mean_ti);
}

}  // namespace
}  // namespace kettle
