// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/preset_search.h"

#include <cmath>

#include "fakes.h"

namespace kettle {
namespace {

constexpr FrameSize kLarge{1280, 720}, kSmall{640, 360};
constexpr FrameRate k60{60, 1}, k30{30, 1};

// One encoder, each of whose presets takes 1.4 times as long as the one before. Looks follow from the preset alone.
class LadderRunner final : public TrialRunner {
 public:
  explicit LadderRunner(double fastest_fps) : fastest_fps_(fastest_fps) {}

  Trial Run(const TrialRequest& request) override {
    const auto& presets = FindFamily("x264").presets;
    const auto preset = std::find(presets.begin(), presets.end(), request.settings.preset) - presets.begin();
    const double pixels = static_cast<double>(request.settings.size.pixels()) / static_cast<double>(kLarge.pixels());
    Trial trial = test::DoneTrial(request, fastest_fps_ / pixels / std::pow(1.4, preset));
    trial.quality = test::QualityOf(looks(static_cast<int>(preset)));
    measured.push_back(request.settings.preset);
    return trial;
  }

  std::function<double(int)> looks = [](int preset) { return 50.0 + 2 * preset; };
  std::vector<std::string> measured;

 private:
  double fastest_fps_;
};

class PresetSearchTest : public testing::Test {
 protected:
  explicit PresetSearchTest(double fastest_fps = 900)
      : runner_(fastest_fps),
        book_(runner_, {}, [](const auto&) {}),
        options_(book_, {test::FakeFootage("clip")}, 0.2) {}

  PresetSearch::Known Scout(FrameSize size, FrameRate rate) {
    PresetSearch::Known known = presets_.Scout("x264", size, rate, PresetSearch::All("x264"));
    presets_.Foresee("x264", size, rate, known);
    return known;
  }
  static std::string PresetOf(const PresetSearch::Known& known) { return known.best->settings.preset; }

  LadderRunner runner_;
  TrialBook book_;
  OptionBook options_;
  const SearchSpace space_{test::SmallSettings(), {}, {}, {"x264"}};
  PresetSearch presets_{space_, options_};
};

TEST_F(PresetSearchTest, OneTrialOfTheMiddlePresetScouts) {
  const auto known = Scout(kLarge, k60);
  EXPECT_EQ(runner_.measured, std::vector<std::string>{FindFamily("x264").presets[4]});
  EXPECT_EQ(known.scout, 4);
  EXPECT_EQ(known.best->score, 58);
  EXPECT_FALSE(known.walked);
}

TEST_F(PresetSearchTest, AWalkEndsAtTheSlowestThatHolds) {
  auto known = Scout(kLarge, k60);
  presets_.Walk("x264", kLarge, k60, known);
  // 900 / 1.4^7 = 85 frames a second, 900 / 1.4^8 = 61; 75 are needed.
  EXPECT_EQ(PresetOf(known), FindFamily("x264").presets[7]);
  EXPECT_EQ(known.range.low, 7);
  EXPECT_EQ(known.range.high, 8);
  EXPECT_EQ(presets_.Promise("x264", known), known.best->score) << "it was measured: nothing is foreseen any more";
}

TEST_F(PresetSearchTest, TheBestLookingIsTakenNotTheSlowest) {
  runner_.looks = [](int preset) { return preset == 4 ? 70.0 : 50.0 + preset; };
  auto known = Scout(kLarge, k60);
  presets_.Walk("x264", kLarge, k60, known);
  EXPECT_EQ(PresetOf(known), FindFamily("x264").presets[4]);
}

TEST_F(PresetSearchTest, WhatWasGainedAtOnePictureIsForeseenAtAnother) {
  auto large = Scout(kLarge, k60);
  EXPECT_GT(presets_.Promise("x264", large), 58) << "slower presets usually add something";
  presets_.Walk("x264", kLarge, k60, large);
  const auto small = Scout(kSmall, k30);
  // Four times the speed for half the frames: the slowest of all holds, and each step adds 2 points.
  EXPECT_EQ(small.likely, 8);
  EXPECT_NEAR(presets_.Promise("x264", small), 66, 1e-9);
  EXPECT_EQ(small.best->score, 58) << "measured is only the scout";
}

TEST_F(PresetSearchTest, OneStepBesideTheBestIsLookedAt) {
  runner_.looks = [](int preset) { return preset == 6 ? 70.0 : 50.0 + preset; };
  auto known = Scout(kLarge, k60);
  presets_.Walk("x264", kLarge, k60, known);
  EXPECT_EQ(PresetOf(known), FindFamily("x264").presets[7]) << "the one between was not measured";
  presets_.LookBeside("x264", kLarge, k60, known);
  EXPECT_EQ(PresetOf(known), FindFamily("x264").presets[6]);
  EXPECT_EQ(presets_.best_score(), 70);
}

class SlowMachineTest : public PresetSearchTest {
 protected:
  SlowMachineTest() : PresetSearchTest(110) {}
};

TEST_F(SlowMachineTest, TheScoutIsTheSlowestBelowTheMiddleThatHolds) {
  const auto known = Scout(kLarge, k60);  // 110 and 79 frames a second hold, 56 do not
  EXPECT_EQ(PresetOf(known), FindFamily("x264").presets[1]);
  EXPECT_EQ(known.range.high, 2);
}

class UselessMachineTest : public PresetSearchTest {
 protected:
  UselessMachineTest() : PresetSearchTest(50) {}
};

TEST_F(UselessMachineTest, WhereNothingHoldsNothingIsPromised) {
  auto known = Scout(kLarge, k60);
  EXPECT_FALSE(known.best);
  EXPECT_EQ(presets_.Promise("x264", known), kNotScored);
  EXPECT_EQ(known.range.low, -1);
}

TEST(PresetGains, AStepIsTheMeanOfWhatWasSeen) {
  PresetGains gains;
  EXPECT_EQ(gains.Between(2, 5), 3) << "a point each where nothing was seen";
  gains.Note(2, 4, 3);
  gains.Note(3, 4, 0.5);
  EXPECT_EQ(gains.Between(2, 3), 1.5);
  EXPECT_EQ(gains.Between(2, 4), 1.5 + 1);
  EXPECT_EQ(gains.Between(4, 5), 1.25) << "a step not seen adds as much as the others";
  gains.Note(5, 6, -4);
  EXPECT_EQ(gains.Between(5, 6), 0) << "nobody has to take a slower preset that looks worse";
}

}  // namespace
}  // namespace kettle
