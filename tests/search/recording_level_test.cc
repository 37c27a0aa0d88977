// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/recording_level.h"

#include <nlohmann/json.hpp>

#include "fakes.h"
#include "says.h"

namespace kettle {
namespace {

// Looks worse by `slope` dB a level from `at_zero` on; speed and cost are the same at every level.
class LevelRunner final : public TrialRunner {
 public:
  LevelRunner(double at_zero, double slope) : at_zero_(at_zero), slope_(slope) {}
  Trial Run(const TrialRequest& request) override {
    ++runs;
    const bool by_level = request.settings.rate_control == RateControl::kConstantQuality;
    const int level = request.settings.quality_level.value_or(0);
    const double db = by_level ? at_zero_ - slope_ * level : 14;
    Trial trial;
    trial.settings = request.settings;
    trial.footage = request.footage.label;
    trial.footage_key = request.footage.key();
    trial.device = "cpu";
    trial.status = WorkerStatus::kDone;
    trial.throughput_fps = by_level ? level_fps : 300;
    trial.headroom = 1 - request.settings.frame_rate.fps() / trial.throughput_fps;
    trial.cpu_cores = 0.3;
    trial.mean_kbps = by_level ? 20000 - 300 * level : request.settings.bit_rate.kbps();
    trial.quality = Quality{.frames = 60, .ms_ssim_y = 1 - std::pow(10, -db / 10)};
    return trial;
  }
  int runs = 0;
  double level_fps = 250;

 private:
  double at_zero_, slope_;
};

RecordingLevel Find(LevelRunner& runner, double goal_db) {
  TrialBook book(runner, {}, [](const auto&) {});
  return FindRecordingLevel(test::SmallSettings("x264", "veryfast"), goal_db, test::FakeFootage("hard"), book);
}

TEST(FindRecordingLevel, IsTheWorstLevelThatReachesTheGoalNearEnough) {
  for (const double slope : {0.15, 0.4, 0.9})
    for (const double goal : {12.0, 16.3, 20.0, 24.0}) {
      LevelRunner runner(30, slope);
      const RecordingLevel found = Find(runner, goal);
      if (30 - 51 * slope >= goal) {
        ASSERT_TRUE(found.level) << slope << " " << goal;
        EXPECT_EQ(*found.level, 51) << "no level of the scale misses it";
        continue;
      }
      ASSERT_TRUE(found.level) << slope << " " << goal << ": " << Sentence(found.trouble);
      const double reached = 30 - slope * *found.level;
      EXPECT_GE(reached, goal - 1e-9);
      EXPECT_LT(reached, goal + std::max(0.3, slope) + 1e-9) << "slope " << slope << ", goal " << goal;
      EXPECT_LE(runner.runs, 5) << "slope " << slope << ", goal " << goal;
      EXPECT_EQ(static_cast<int>(found.steps.size()), runner.runs);
    }
}

TEST(FindRecordingLevel, SaysWhenNoLevelReachesIt) {
  LevelRunner runner(15, 0.4);
  const RecordingLevel found = Find(runner, 20);
  EXPECT_FALSE(found.level);
  EXPECT_THAT(found.trouble, test::Says("even its best level, 0, does not reach 20 dB on hard"));
}

class SettledPlanTest : public testing::Test {
 protected:
  Plan PlanWith(LevelRunner& runner, double goal_db) {
    Show show;
    show.recording_score_db = goal_db;
    TrialBook book(runner, {}, [](const auto&) {});
    const PlanRequest request{
        show, test::FakeTargets(), {test::FakeFootage("easy"), test::FakeFootage("hard")}, {"x264"}, {2, 0.2}};
    return MakePlan(request, book, [](const Pair&) { return test::FakeProof(0, 0); });
  }
};

TEST_F(SettledPlanTest, TheRecordingGetsTheLevelAndTheReasonTellsWhatWasTried) {
  LevelRunner runner(30, 0.4);
  const Plan plan = PlanWith(runner, 19.9);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->recording.settings.rate_control, RateControl::kConstantQuality);
  EXPECT_EQ(plan.chosen->recording.settings.quality_level, 25);
  EXPECT_GE(plan.chosen->recording.score, 20 - 1e-9);
  EXPECT_EQ(plan.recording_rate().kbps(), 20000 - 300 * 25);
  nlohmann::json json = plan;
  AddSentences(json);
  EXPECT_EQ(json["recording_level"]["level"], 25);
  EXPECT_EQ(json["recording"]["quality_level"], 25);
  EXPECT_THAT(json["because"].dump(), testing::HasSubstr("a goal of 19.9 dB MS-SSIM (measured: level 23 20.8 dB"));
}

TEST_F(SettledPlanTest, ARuleStandsInWhereTheLevelDoesNotHold) {
  LevelRunner runner(30, 0.4);
  runner.level_fps = 65;  // 8 % headroom: slower than at the rule's bit rate
  const Plan plan = PlanWith(runner, 20);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->recording.settings.rate_control, RateControl::kCappedVariable);
  ASSERT_FALSE(plan.targets.warnings.empty());
  EXPECT_THAT(plan.targets.warnings.back(), test::Says("no preset of x264 keeps pace"));
}

}  // namespace
}  // namespace kettle
