// SPDX-License-Identifier: Apache-2.0
#include "kettle/model/looks_model.h"

#include <cmath>

#include "support.h"

namespace kettle {
namespace {

EncodeSettings Encode(const std::string& preset, FrameSize size, double fps, double kbps = 4500) {
  EncodeSettings settings = test::SmallSettings("x264", preset);
  settings.size = size;
  settings.frame_rate = {static_cast<int>(fps), 1};
  settings.bit_rate = settings.maximum_bit_rate = BitRate::FromKbps(kbps);
  return settings;
}

// Best at a size in the middle, better with more bits and slower presets.
double TrueScore(const EncodeSettings& settings) {
  const double away = std::log(static_cast<double>(settings.size.pixels()) / (1280.0 * 720)) + 0.6;
  return 42 - 18 * away * away + 12 * std::log(settings.bit_rate.kbps() / 4500) -
         6 * std::log(settings.frame_rate.fps() / 60) + (settings.preset == "superfast" ? -5 : 0);
}

TEST(LooksModel, GoesThroughWhatItSawAndTellsOfWhatLiesBetween) {
  LooksModel model(1280 * 720, 4500);
  for (const EncodeSettings& seen : {Encode("superfast", {1280, 720}, 60), Encode("veryfast", {1280, 720}, 60),
                                     Encode("veryfast", {854, 480}, 60), Encode("veryfast", {640, 360}, 60),
                                     Encode("superfast", {854, 480}, 30), Encode("veryfast", {854, 480}, 60, 2500)})
    model.Observe(seen, "a", TrueScore(seen));
  EXPECT_NEAR(model.Score(Encode("veryfast", {854, 480}, 60), "a").mean, TrueScore(Encode("veryfast", {854, 480}, 60)),
              1);
  for (const EncodeSettings& asked : {Encode("veryfast", {960, 540}, 60), Encode("superfast", {960, 540}, 60)}) {
    const Estimate told = model.Score(asked, "a");
    EXPECT_NEAR(told.mean, TrueScore(asked), 4) << asked.preset;
    EXPECT_NEAR(told.mean, TrueScore(asked), 2.5 * told.deviation) << asked.preset;
  }
}

TEST(LooksModel, DoubtsLessWhereScoresTurnedOutSmooth) {
  LooksModel smooth(1280 * 720, 4500), rough(1280 * 720, 4500);
  int sign = 1;
  for (const EncodeSettings& seen :
       {Encode("veryfast", {1280, 720}, 60), Encode("veryfast", {1024, 576}, 60), Encode("veryfast", {854, 480}, 60),
        Encode("veryfast", {768, 432}, 60), Encode("veryfast", {640, 360}, 60), Encode("veryfast", {1280, 720}, 30),
        Encode("veryfast", {1024, 576}, 30), Encode("veryfast", {854, 480}, 30)}) {
    smooth.Observe(seen, "a", TrueScore(seen));
    rough.Observe(seen, "a", TrueScore(seen) + 6 * (sign = -sign));
  }
  const EncodeSettings asked = Encode("veryfast", {640, 360}, 30);
  EXPECT_LT(smooth.Score(asked, "a").deviation, 0.7 * rough.Score(asked, "a").deviation);
  EXPECT_NEAR(smooth.Score(asked, "a").mean, TrueScore(asked), 3);
}

TEST(LooksModel, DoubtsWhatIsFarFromAllItSaw) {
  LooksModel model(1280 * 720, 4500);
  const double unseen = model.Score(Encode("veryfast", {1280, 720}, 60), "a").deviation;
  EXPECT_GT(unseen, 20);
  model.Observe(Encode("veryfast", {1280, 720}, 60), "a", 40);
  const double seen = model.Score(Encode("veryfast", {1280, 720}, 60), "a").deviation;
  EXPECT_LT(seen, 1);
  EXPECT_LT(seen, model.Score(Encode("veryfast", {960, 540}, 60), "a").deviation);
  EXPECT_LT(model.Score(Encode("veryfast", {960, 540}, 60), "a").deviation,
            model.Score(Encode("veryfast", {426, 240}, 30), "a").deviation);
  EXPECT_GT(model.Score(Encode("veryfast", {1280, 720}, 60), "b").deviation, 5)
      << "another clip may look quite different";
}

}  // namespace
}  // namespace kettle
