// SPDX-License-Identifier: Apache-2.0
#include "kettle/uplink/budget.h"

#include <nlohmann/json.hpp>

#include "says.h"
#include "support.h"

namespace kettle {
namespace {

BitRate Kbps(double kbps) { return BitRate::FromKbps(kbps); }

TEST(Budget, IsASumThatAPersonCanFollow) {
  const Line line{LinkKind::kWired, {Kbps(10000)}, {}};
  const Budget budget = MakeBudget(line, {{"game", Kbps(300)}, {"voice call", Kbps(200)}}, {}, 60);
  EXPECT_EQ(budget.carried_kbps, 10000);
  EXPECT_EQ(budget.safety_share, 0.9) << "wired, and nothing against it";
  EXPECT_DOUBLE_EQ(budget.budget_kbps, 9500 * 0.9);
  EXPECT_DOUBLE_EQ(budget.video_kbps, 9500 * 0.9 - 160 - WrappingKbps(60));
  EXPECT_EQ(budget.one_encode_kbps(), 8350) << "down to the next 50";
  EXPECT_EQ(Sentence(budget.binding_limit), "your uplink");
}

TEST(Budget, GoesByTheWorstOfTheReadingsAndTrustsAnUnsteadyLineLess) {
  const Budget steady = MakeBudget({LinkKind::kWireless, {Kbps(9900), Kbps(10000)}, {}}, {}, {}, 60);
  const Budget unsteady = MakeBudget({LinkKind::kWireless, {Kbps(9900), Kbps(18000)}, {}}, {}, {}, 60);
  EXPECT_NEAR(steady.carried_kbps, 9900, 10);
  EXPECT_NEAR(unsteady.carried_kbps, 9900, 450);
  EXPECT_LT(unsteady.safety_share, steady.safety_share - 0.1);
  EXPECT_GE(unsteady.safety_share, 0.5);
}

// With seven readings, one of them 4 Mbit/s, a stream got 2.0 Mbit/s, and with one more of 10 Mbit/s 4.3.
TEST(Budget, AReadingMoreIsNoCliff) {
  std::vector<BitRate> readings{Kbps(4000)};
  double before = MakeBudget({LinkKind::kWired, readings, {}}, {}, {}, 60).budget_kbps;
  for (int count = 2; count < 40; ++count) {
    readings.push_back(Kbps(10'000));
    const double now = MakeBudget({LinkKind::kWired, readings, {}}, {}, {}, 60).budget_kbps;
    EXPECT_LT(std::abs(now - before), 1000) << count << " readings";
    before = now;
  }
  EXPECT_GT(before, 8500) << "one bad reading of forty";
}

TEST(Budget, OfATraceTakesWhatIsCarriedNearlyAlways) {
  std::vector<LineTrace::Point> points;
  for (int i = 0; i < 100; ++i) points.push_back({static_cast<double>(i), i % 25 == 3 ? 1000.0 : 8000.0});
  const Budget budget = MakeBudget({LinkKind::kWired, {}, LineTrace(points, 100)}, {}, {}, 60);
  EXPECT_EQ(budget.carried_kbps, 8000) << "4 % of the seconds are worse";
  EXPECT_THAT(budget.carried_how, test::Says("95 % of the time at least, over 100 seconds"));
}

TEST(Budget, DestinationsLimitAndWhatOneCannotUseIsLeftToTheOthers) {
  const Line line{LinkKind::kWired, {Kbps(12000)}, {}};
  const std::vector<Recipient> recipients = {{"Lantern", Kbps(12000)}, {"Quayside", Kbps(3500)}};
  const Budget budget = MakeBudget(line, {}, recipients, 60);
  ASSERT_EQ(budget.one_for_all.size(), 2u);
  EXPECT_EQ(budget.one_encode_kbps(), 3500);
  EXPECT_THAT(budget.binding_limit, test::Says("Quayside's maximum of 3500 kbit/s"));
  EXPECT_EQ(budget.each[1].name, "Quayside");
  EXPECT_EQ(budget.each[1].video_kbps, 3500);
  EXPECT_GT(budget.each[0].video_kbps, 6500);
  EXPECT_LE(budget.each[0].video_kbps + 3500, budget.video_kbps);
  EXPECT_THAT(budget.each[0].limit, test::Says("your uplink"));
}

TEST(Budget, WithoutTranscodingTheAudiencesLinesLimit) {
  const std::vector<Recipient> recipients = {{"Lantern", Kbps(12000), Kbps(6000)}};
  const Budget budget = MakeBudget({LinkKind::kWired, {Kbps(50000)}, {}}, {}, recipients, 60);
  EXPECT_EQ(budget.one_encode_kbps(), 6000);
  EXPECT_THAT(budget.binding_limit, test::Says("the 6000 kbit/s that viewers of Lantern can receive"));
}

TEST(Budget, SaysHowMuchIsMissing) {
  const Line line{LinkKind::kWired, {Kbps(500)}, {}};
  const std::vector<std::pair<std::string, BitRate>> reserve = {{"household", Kbps(400)}};
  const Budget budget = MakeBudget(line, reserve, {}, 30);
  EXPECT_LT(budget.one_encode_kbps(), kLeastVideoKbps);
  const double missing = MissingKbps(budget);
  EXPECT_GT(missing, 0);
  EXPECT_NEAR(MakeBudget({LinkKind::kWired, {Kbps(500 + missing)}, {}}, reserve, {}, 30).video_kbps, kLeastVideoKbps,
              1);
}

TEST(LineLeft, IsTheTraceOrAMinuteOfEachReadingLessWhatIsReserved) {
  const std::vector<std::pair<std::string, BitRate>> reserve = {{"game", Kbps(300)}, {"voice call", Kbps(200)}};
  const LineTrace readings = LineLeft({LinkKind::kWired, {Kbps(9000), Kbps(400)}, {}}, reserve);
  EXPECT_EQ(readings.seconds(), 120);
  EXPECT_EQ(readings.PerSecond()[59], 8500);
  EXPECT_EQ(readings.PerSecond()[60], 0) << "never less than nothing";
  const LineTrace trace = LineLeft({LinkKind::kWired, {}, LineTrace({{0, 5000}, {3, 4000}}, 7)}, reserve);
  EXPECT_EQ(trace.seconds(), 7);
  EXPECT_EQ(trace.PerSecond()[3], 3500);
}

TEST(MostKbps, IsTheLinesBestOrTheStrictestTaker) {
  const LineTrace line({{0, 5000}, {3, 9000}}, 7);
  EXPECT_EQ(MostKbps(line, {}), 9000);
  EXPECT_EQ(MostKbps(line, {{"Lantern", Kbps(12000)}, {"Quayside", Kbps(3500)}}), 3500);
  EXPECT_EQ(MostKbps(line, {{"Lantern", Kbps(12000), Kbps(6000)}}), 6000) << "its audience";
}

TEST(Budget, ItsJsonNamesTheVideoOfEachDestination) {
  const nlohmann::json json = MakeBudget({LinkKind::kWired, {Kbps(9000)}, {}}, {}, {{"Quayside", Kbps(3500)}}, 60);
  EXPECT_EQ(json.at("video_budget_kbps").at("Quayside"), 3500);
  EXPECT_FALSE(Sentence(json.at("binding_limit").get<Message>()).empty());
}

TEST(NeedOf, IsWhatEveryDestinationTakesWithWhatElseTheLineMustCarry) {
  const std::vector<Recipient> recipients{{"Tight", BitRate::FromKbps(3500)},
                                          {"Wide", std::nullopt, BitRate::FromKbps(6000)}};
  const double each = 160 + WrappingKbps(60);
  const LineNeed need = NeedOf(recipients, {{"game", BitRate::FromKbps(300)}}, std::nullopt, LinkKind::kWired, 60);
  EXPECT_NEAR(need.kbps, (3500 + 6000 + 2 * each) / 0.95 + 300, 1e-6);
  EXPECT_THAT(Sentence(need.how),
              testing::AllOf(testing::HasSubstr("3500 kbit/s of video for Tight"),
                             testing::HasSubstr("6000 kbit/s of video for Wide"),
                             testing::HasSubstr("what is reserved"), testing::HasSubstr("5 % kept free")));
  EXPECT_NEAR(NeedOf(recipients, {}, BitRate::FromKbps(4000), LinkKind::kCellular, 60).kbps,
              (3500 + 4000 + 2 * each) / 0.8, 1e-6)
      << "no more than the show asks for, nor than a destination takes";
  EXPECT_NEAR(NeedOf({}, {}, std::nullopt, LinkKind::kWired, 60).kbps, (8000 + each) / 0.95, 1e-6);
}

}  // namespace
}  // namespace kettle
