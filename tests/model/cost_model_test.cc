// SPDX-License-Identifier: Apache-2.0
#include "kettle/model/cost_model.h"

#include <cmath>
#include <random>

#include "kettle/encoders/catalogue.h"
#include "support.h"

namespace kettle {
namespace {

EncodeSettings At(const std::string& preset, FrameSize size = {640, 360}, double kbps = 2000) {
  EncodeSettings settings = test::SmallSettings("x264", preset);
  settings.size = size;
  settings.frame_rate = {60, 1};
  settings.bit_rate = settings.maximum_bit_rate = BitRate::FromKbps(kbps);
  return settings;
}

// A machine that nobody told the model of.
double TrueSeconds(const EncodeSettings& settings) {
  const auto& presets = FindFamily("x264").presets;
  const auto step = std::find(presets.begin(), presets.end(), settings.preset) - presets.begin();
  const double pixels = static_cast<double>(settings.size.pixels());
  const double bits = settings.bit_rate.kbps() * 1000 / settings.frame_rate.fps() / pixels;
  return 0.006 * std::pow(1.5, static_cast<double>(step)) * std::pow(pixels / 230'400, 1.1) *
         std::pow(bits / 0.14, 0.4);
}

TEST(CostModel, KnowsTheDirectionBeforeAnyTrial) {
  CostModel model;
  EXPECT_LT(model.LogSeconds(At("superfast"), "a").mean, model.LogSeconds(At("veryfast"), "a").mean);
  EXPECT_LT(model.LogSeconds(At("veryfast"), "a").mean, model.LogSeconds(At("veryfast", {1280, 720}), "a").mean);
  EXPECT_GT(model.LogSeconds(At("veryfast"), "a").deviation, 1) << "and that it knows no more";
}

TEST(CostModel, AFewTrialsTellOfTheOthers) {
  std::mt19937 random(1);
  std::normal_distribution<double> off(0, 0.06);
  CostModel model;
  for (const EncodeSettings& seen :
       {At("superfast"), At("faster"), At("veryfast", {1280, 720}), At("veryfast", {960, 540}, 4000)})
    model.Observe(seen, "a", TrueSeconds(seen) * std::exp(off(random)), 0.06);
  for (const EncodeSettings& asked : {At("veryfast"), At("superfast", {1280, 720}), At("fast", {960, 540}, 3000)}) {
    const Estimate told = model.LogSeconds(asked, "a");
    EXPECT_NEAR(told.mean, std::log(TrueSeconds(asked)), 2.5 * told.deviation) << asked.preset;
    EXPECT_NEAR(told.mean, std::log(TrueSeconds(asked)), 0.25) << asked.preset;
  }
  EXPECT_GT(model.LogSeconds(At("veryslow"), "a").deviation, 2 * model.LogSeconds(At("veryfast"), "a").deviation)
      << "what is far from all trials is less sure";
  EXPECT_GT(model.LogSeconds(At("veryfast"), "b").deviation, model.LogSeconds(At("veryfast"), "a").deviation);
}

TEST(CostModel, ATrialThatWasCutShortSaysMoreThan) {
  CostModel model;
  model.Observe(At("superfast"), "a", 0.01, 0.06);
  const Estimate before = model.LogSeconds(At("medium"), "a");
  model.ObserveMoreThan(At("medium"), "a", std::exp(before.mean), 0.06);
  const Estimate after = model.LogSeconds(At("medium"), "a");
  EXPECT_GT(after.mean, before.mean);
  EXPECT_LT(after.deviation, before.deviation);
  const Estimate long_known = model.LogSeconds(At("superfast"), "a");
  EXPECT_NEAR(std::exp(long_known.mean), 0.01, 0.001) << "what was seen stays";
}

}  // namespace
}  // namespace kettle
