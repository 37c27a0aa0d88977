// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/ladder.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "fakes.h"

namespace kettle {
namespace {

// Looks fall with the bit rate and, as a rule, with the frame rate; smaller pictures look better, unless told
// otherwise.
class LineRunner final : public TrialRunner {
 public:
  int runs = 0;
  bool fails_at_lower_rate = false;
  double smaller_gains_db = 1, half_rate_costs_db = 3;
  Trial Run(const TrialRequest& request) override {
    ++runs;
    const EncodeSettings& s = request.settings;
    Trial trial = test::DoneTrial(request, 200);
    if (fails_at_lower_rate && s.frame_rate.fps() < 31) trial.status = WorkerStatus::kFailed;
    const double db = 3 * std::log2(s.bit_rate.kbps()) - smaller_gains_db * s.size.height / 360.0 -
                      half_rate_costs_db * (60 - s.frame_rate.fps()) / 30 - 15;
    trial.quality = test::QualityOf(5 * db);
    return trial;
  }
};

Option Chosen(TrialBook& book) {
  EncodeSettings settings = test::SmallSettings();
  settings.size = {1280, 720};
  settings.frame_rate = {60, 1};
  settings.bit_rate = settings.maximum_bit_rate = BitRate::FromKbps(4000);
  return MakeOption({book.Get(settings, test::FakeFootage("hard"))}, true);
}

TEST(UplinkLadder, LowersTheRateThenTheSizeThenTheFrameRate) {
  LineRunner runner;
  TrialBook book(runner, {}, [](const auto&) {});
  const Option chosen = Chosen(book);
  const auto ladder = UplinkLadder(chosen, test::FakeFootage("hard"), 0.2, book);
  ASSERT_EQ(ladder.size(), 4u);
  EXPECT_EQ(ladder[0].settings.bit_rate, BitRate::FromKbps(3400));
  EXPECT_EQ(ladder[0].settings.maximum_bit_rate, BitRate::FromKbps(3400));
  EXPECT_EQ(ladder[0].saves_kbps, 600);
  EXPECT_NEAR(ladder[0].costs, 15 * std::log2(4000.0 / 3400), 0.05);
  EXPECT_EQ(ladder[1].settings.bit_rate, BitRate::FromKbps(2800));
  EXPECT_LT(ladder[2].settings.size.height, 720);
  EXPECT_EQ(ladder[2].settings.bit_rate, BitRate::FromKbps(2800)) << "each step keeps those before it";
  EXPECT_LT(ladder[2].costs, ladder[1].costs) << "at the lower rate the smaller picture looks better";
  EXPECT_EQ(ladder[2].what, "bit rate 2800 kbit/s and size " + ladder[2].settings.size.str());
  EXPECT_EQ(ladder[3].settings.frame_rate, (FrameRate{30, 1}));
  EXPECT_EQ(runner.runs, 5) << "each measured once";
  EXPECT_EQ(WorthTaking(ladder).size(), 3u) << "at half the frame rate it looks worse for the same bits";
}

TEST(UplinkLadder, AStepThatLooksWorseForTheSameBitsIsNoneOfTheNext) {
  LineRunner runner;
  runner.smaller_gains_db = -1;
  runner.half_rate_costs_db = -1;
  TrialBook book(runner, {}, [](const auto&) {});
  const Option chosen = Chosen(book);
  const auto ladder = UplinkLadder(chosen, test::FakeFootage("hard"), 0.2, book);
  ASSERT_EQ(ladder.size(), 4u);
  EXPECT_EQ(ladder[3].settings.size, chosen.settings.size);
  EXPECT_EQ(ladder[3].what, "bit rate 2800 kbit/s and 30 frames a second");
  const auto worth = WorthTaking(ladder);
  ASSERT_EQ(worth.size(), 3u);
  EXPECT_EQ(worth.back().settings, ladder[3].settings);
}

TEST(UplinkLadder, GoesOnlyWhereDestinationsFollow) {
  LineRunner runner;
  TrialBook book(runner, {}, [](const auto&) {});
  const Option chosen = Chosen(book);
  const auto ladder =
      UplinkLadder(chosen, test::FakeFootage("hard"), 0.2, book, {{1280, 720}, {852, 480}}, {{60, 1}, {50, 1}});
  ASSERT_EQ(ladder.size(), 4u);
  EXPECT_EQ(ladder[2].settings.size, (FrameSize{852, 480}));
  EXPECT_EQ(ladder[3].settings.frame_rate, (FrameRate{50, 1}));
  EXPECT_EQ(UplinkLadder(chosen, test::FakeFootage("hard"), 0.2, book, {{1280, 720}}, {{60, 1}}).size(), 2u)
      << "nothing smaller or slower is taken";
}

TEST(UplinkLadder, AStepThatFailsIsLeftOut) {
  LineRunner runner;
  runner.fails_at_lower_rate = true;
  TrialBook book(runner, {}, [](const auto&) {});
  const Option chosen = Chosen(book);
  EXPECT_EQ(UplinkLadder(chosen, test::FakeFootage("hard"), 0.2, book).size(), 3u);
  EXPECT_TRUE(UplinkLadder(chosen, test::FakeFootage("hard"), 0.8, book).empty()) << "none keeps so much pace";
}

TEST(UplinkLadder, EndsAtTheLeastRate) {
  LineRunner runner;
  TrialBook book(runner, {}, [](const auto&) {});
  Option chosen = Chosen(book);
  chosen.settings.bit_rate = chosen.settings.maximum_bit_rate = BitRate::FromKbps(250);
  const auto ladder = UplinkLadder(chosen, test::FakeFootage("hard"), 0.2, book);
  for (const LadderStep& step : ladder) EXPECT_GE(step.settings.bit_rate.kbps(), 200) << step.what;
}

}  // namespace
}  // namespace kettle
