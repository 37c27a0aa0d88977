// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/enough_bits.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "fakes.h"

namespace kettle {
namespace {

// Encodes whose score is a function of the bit rate; presets from "medium" on are too slow to be scored.
class RateRunner final : public TrialRunner {
 public:
  explicit RateRunner(std::function<double(double kbps)> score) : score_(std::move(score)) {}

  Trial Run(const TrialRequest& request) override {
    ++runs;
    const bool slow = request.settings.preset == "medium";
    Trial trial = test::DoneTrial(request, slow ? 20 : 200);
    if (!slow) trial.quality = test::QualityOf(score_(request.settings.bit_rate.kbps()));
    if (!slow) trial.quality->picture_score_interval = 0.2;
    return trial;
  }
  int runs = 0;

 private:
  std::function<double(double)> score_;
};

EnoughBits Find(RateRunner& runner, double most_kbps, const std::string& preset = "veryfast") {
  TrialBook book(runner, {}, [](const auto&) {});
  EncodeSettings most = test::SmallSettings("x264", preset);
  most.bit_rate = most.maximum_bit_rate = BitRate::FromKbps(most_kbps);
  return FindEnoughBits(most, test::FakeFootage("one"), book);
}

// A parabola over the logarithm of the rate whose slope is half a point for a tenth more bits at `enough`.
std::function<double(double)> FlattensAt(double enough) {
  return [=](double kbps) {
    const double x = std::log(kbps / enough), slope = 0.5 / std::log(1.1);
    return 70 + slope * x - 2 * x * x;
  };
}

TEST(FindEnoughBits, IsWhereATenthMoreGainsHalfAPoint) {
  for (const double enough : {2000.0, 6000.0, 30000.0}) {
    RateRunner runner(FlattensAt(enough));
    const EnoughBits found = Find(runner, 100000);
    ASSERT_TRUE(found.kbps) << enough;
    EXPECT_NEAR(*found.kbps, enough, enough * 0.02);
    EXPECT_LT(found.low_kbps, *found.kbps);
    EXPECT_GT(found.high_kbps, *found.kbps);
    EXPECT_GE(found.steps.size(), 3u);
    EXPECT_EQ(found.footage, "one");
  }
}

TEST(FindEnoughBits, TellsNothingWhereBitsStillPay) {
  RateRunner runner(FlattensAt(9000));
  EXPECT_FALSE(Find(runner, 6000).kbps);
  RateRunner steep([](double kbps) { return 30 * std::log10(kbps / 100); });
  EXPECT_FALSE(Find(steep, 6000).kbps);
  EXPECT_EQ(steep.runs, 2) << "twice the bits gain nine points";
}

TEST(FindEnoughBits, ABlankScreenNeedsTheLeastThatIsTried) {
  RateRunner runner([](double) { return 99; });
  const EnoughBits found = Find(runner, 4000);
  ASSERT_TRUE(found.kbps);
  EXPECT_EQ(*found.kbps, 250);
}

TEST(FindEnoughBits, GainsThatNobodySeesDoNotCount) {
  RateRunner runner([](double kbps) { return std::min(99.0, 90 + 20 * std::log10(kbps / 8000)); });
  const EnoughBits found = Find(runner, 64000);
  ASSERT_TRUE(found.kbps) << "a tenth more bits gain 0.8 points up to 22 Mbit/s";
  EXPECT_GT(*found.kbps, 6000);
  EXPECT_LT(*found.kbps, 12000);
}

TEST(FindEnoughBits, TakesAFasterPresetWhereOneIsTooSlow) {
  RateRunner runner(FlattensAt(3000));
  const EnoughBits found = Find(runner, 24000, "medium");
  ASSERT_TRUE(found.kbps);
  EXPECT_EQ(found.settings.preset, "fast");
  EXPECT_EQ(nlohmann::json(found)["steps"].size(), found.steps.size());
}

}  // namespace
}  // namespace kettle
