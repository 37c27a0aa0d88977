// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/speed_guess.h"

#include <cmath>

#include "fakes.h"

namespace kettle {
namespace {

Option Measured(const std::string& preset, FrameSize size, double fps) {
  Option option = test::FakeOption("x264", preset, fps, 1, 50);
  option.settings.size = size;
  return option;
}

std::optional<SpeedGuess> Guess(const std::vector<Option>& options, const std::string& preset, FrameSize size) {
  return GuessSpeed(options, Measured(preset, size, 1).settings);
}

constexpr FrameSize kLarge{1280, 720}, kSmall{640, 360};

TEST(GuessSpeed, TakesWhatWasMeasured) {
  const auto guess = Guess({Measured("veryfast", kLarge, 70)}, "veryfast", kLarge);
  ASSERT_TRUE(guess);
  EXPECT_DOUBLE_EQ(guess->throughput_fps, 70);
  EXPECT_FALSE(guess->by_others);
}

TEST(GuessSpeed, GoesByAnotherPresetAtThePictureBeforeThePixels) {
  const std::vector<Option> options{Measured("superfast", kLarge, 80), Measured("veryfast", kLarge, 60),
                                    Measured("superfast", kSmall, 200)};
  EXPECT_NEAR(Guess(options, "veryfast", kSmall)->throughput_fps, 150, 1e-9);
  EXPECT_NEAR(Guess({options[1]}, "veryfast", kSmall)->throughput_fps, 240, 1e-9);
}

TEST(GuessSpeed, LearnsHowMuchSmallerPicturesSave) {
  constexpr FrameSize kMiddle{960, 540};
  const std::vector<Option> same{Measured("superfast", kLarge, 80), Measured("superfast", kSmall, 80),
                                 Measured("veryfast", kLarge, 60)};
  EXPECT_NEAR(Guess(same, "veryfast", kMiddle)->throughput_fps, 60 * std::pow(16.0 / 9, 0.3), 1e-9)
      << "hardly anything, but never nothing";
  const std::vector<Option> half{Measured("superfast", kLarge, 80), Measured("superfast", kSmall, 160),
                                 Measured("veryfast", kLarge, 60)};
  EXPECT_NEAR(Guess(half, "veryfast", kMiddle)->throughput_fps, 80, 1e-9) << "twice the speed for a quarter: the root";
  const std::vector<Option> more{Measured("superfast", kLarge, 80), Measured("superfast", kSmall, 800),
                                 Measured("veryfast", kLarge, 60)};
  EXPECT_NEAR(Guess(more, "veryfast", kMiddle)->throughput_fps, 60 * 16.0 / 9, 1e-9) << "never more than in proportion";
}

TEST(GuessSpeed, TakesLongerOverEachPictureWhereTheyAreFewer) {
  Option half = Measured("veryfast", kLarge, 1);
  half.settings.frame_rate = FrameRate{30, 1};
  ASSERT_EQ(Measured("veryfast", kLarge, 1).settings.frame_rate, (FrameRate{60, 1}));
  EXPECT_NEAR(GuessSpeed({Measured("veryfast", kLarge, 60)}, half.settings)->throughput_fps, 60 / std::cbrt(2), 1e-9);
  Option superfast = Measured("superfast", kLarge, 80);
  superfast.settings.frame_rate = half.settings.frame_rate;
  superfast.throughput_fps = 60;
  EXPECT_NEAR(GuessSpeed({Measured("veryfast", kSmall, 60), Measured("superfast", kLarge, 80), superfast},
                         [&] {
                           EncodeSettings smaller = half.settings;
                           smaller.size = kSmall;
                           return smaller;
                         }())
                  ->throughput_fps,
              60 * 60 / 80.0, 1e-9)
      << "as another preset has shown";
}

TEST(GuessSpeed, LiesBetweenItsNeighbours) {
  const std::vector<Option> options{Measured("superfast", kLarge, 80), Measured("fast", kLarge, 10)};
  const auto guess = Guess(options, "veryfast", kLarge);
  ASSERT_TRUE(guess);
  EXPECT_TRUE(guess->by_others);
  EXPECT_NEAR(guess->throughput_fps, 40, 1e-9) << "the first of three equal steps";
  EXPECT_NEAR(Guess(options, "medium", kLarge)->throughput_fps, 5, 1e-9) << "and so on";
  EXPECT_FALSE(Guess(options, "slow", kLarge)) << "two steps beyond";
  EXPECT_LT(Guess({options[0], Measured("veryfast", kLarge, 80)}, "faster", kLarge)->throughput_fps, 75)
      << "a slower preset is slower, whatever noise says";
  EXPECT_NEAR(Guess(options, "ultrafast", kLarge)->throughput_fps, 160, 1e-9);
}

TEST(GuessSpeed, KnowsNothingByOneOther) {
  EXPECT_FALSE(Guess({}, "veryfast", kLarge));
  EXPECT_FALSE(Guess({Measured("superfast", kLarge, 80)}, "veryfast", kLarge));
  Option failed = Measured("veryfast", kLarge, 70), other_rate = failed, other_encoder = failed;
  failed.trouble = "crashed";
  other_rate.settings.bit_rate = BitRate::FromKbps(99);
  other_encoder.settings.encoder = "x265";
  EXPECT_FALSE(Guess({failed, other_rate, other_encoder}, "veryfast", kLarge));
}

}  // namespace
}  // namespace kettle
