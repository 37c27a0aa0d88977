// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/recording_level.h"

#include <nlohmann/json.hpp>

#include "fakes.h"
#include "kettle/planner/make_plan.h"
#include "says.h"

namespace kettle {
namespace {

// Looks worse by `slope` points a level from `at_zero` on; speed and cost are the same at every level.
class LevelRunner final : public TrialRunner {
 public:
  LevelRunner(double at_zero, double slope) : at_zero_(at_zero), slope_(slope) {}
  Trial Run(const TrialRequest& request) override {
    ++runs;
    const bool by_level = request.settings.rate_control == RateControl::kConstantQuality;
    const int level = request.settings.quality_level.value_or(0);
    const double score = by_level ? at_zero_ - slope_ * level : 42;
    Trial trial = test::DoneTrial(request, by_level ? level_fps : 300);
    test::SetCores(trial, 0.3);
    trial.mean_kbps = by_level ? 20000 - 300 * level : request.settings.bit_rate.kbps();
    if (request.quality) trial.quality = test::QualityOf(score);
    return trial;
  }
  int runs = 0;
  double level_fps = 250;

 private:
  double at_zero_, slope_;
};

RecordingLevel Find(LevelRunner& runner, double goal) {
  TrialBook book(runner, {}, [](const auto&) {});
  return FindRecordingLevel(test::SmallSettings("x264", "veryfast"), goal, test::FakeFootage("hard"), book);
}

TEST(FindRecordingLevel, IsTheWorstLevelThatReachesTheGoalNearEnough) {
  for (const double slope : {0.5, 1.2, 2.7})
    for (const double goal : {36.0, 49.0, 60.0, 72.0}) {
      LevelRunner runner(90, slope);
      const RecordingLevel found = Find(runner, goal);
      if (90 - 51 * slope >= goal) {
        ASSERT_TRUE(found.level) << slope << " " << goal;
        EXPECT_EQ(*found.level, 51) << "no level of the scale misses it";
        continue;
      }
      ASSERT_TRUE(found.level) << slope << " " << goal << ": " << Sentence(found.trouble);
      const double reached = 90 - slope * *found.level;
      EXPECT_GE(reached, goal - 1e-9);
      EXPECT_LT(reached, goal + std::max(1.5, slope) + 1e-9) << "slope " << slope << ", goal " << goal;
      EXPECT_LE(runner.runs, 5) << "slope " << slope << ", goal " << goal;
      EXPECT_EQ(static_cast<int>(found.steps.size()), runner.runs);
    }
}

TEST(FindRecordingLevel, SaysWhenNoLevelReachesIt) {
  LevelRunner runner(45, 1.2);
  const RecordingLevel found = Find(runner, 60);
  EXPECT_FALSE(found.level);
  EXPECT_THAT(found.trouble, test::Says("even its best level, 0, does not reach 60 of 100 on hard"));
}

class SettledPlanTest : public testing::Test {
 protected:
  Plan PlanWith(LevelRunner& runner, double goal) {
    Show show;
    show.recording_score = goal;
    TrialBook book(runner, {}, [](const auto&) {});
    const PlanRequest request{
        show, test::FakeTargets(), {test::FakeFootage("easy"), test::FakeFootage("hard")}, {"x264"}, {2, 0.2}};
    return MakePlan(request, book, [](const Pair&) { return test::FakeProof(0, 0); });
  }
};

TEST_F(SettledPlanTest, TheRecordingGetsTheLevelAndTheReasonTellsWhatWasTried) {
  LevelRunner runner(90, 1.2);
  const Plan plan = PlanWith(runner, 59.7);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->recording.settings.rate_control, RateControl::kConstantQuality);
  EXPECT_EQ(plan.chosen->recording.settings.quality_level, 25);
  EXPECT_GE(plan.chosen->recording.score, 60 - 1e-9);
  EXPECT_EQ(plan.recording_rate().kbps(), 20000 - 300 * 25);
  nlohmann::json json = plan;
  AddSentences(json);
  EXPECT_EQ(json["recording_level"]["level"], 25);
  EXPECT_EQ(json["recording"]["quality_level"], 25);
  EXPECT_THAT(json["because"].dump(), testing::HasSubstr("a goal of 59.7 of 100 (measured: level 22 63.6"));
}

TEST_F(SettledPlanTest, ARuleStandsInWhereTheLevelDoesNotHold) {
  LevelRunner runner(90, 1.2);
  runner.level_fps = 65;  // 8 % headroom: slower than at the rule's bit rate
  const Plan plan = PlanWith(runner, 60);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->recording.settings.rate_control, RateControl::kCappedVariable);
  EXPECT_NEAR(plan.chosen->recording.score, 42, 1e-9) << "scored only now that it stands";
  ASSERT_FALSE(plan.targets.warnings.empty());
  EXPECT_THAT(plan.targets.warnings.back(), test::Says("no preset of x264 keeps pace"));
}

}  // namespace
}  // namespace kettle
