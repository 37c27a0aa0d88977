// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/option.h"

#include "support.h"

namespace kettle {
namespace {

Trial TrialWith(double fps, double cores, double score) {
  Trial trial;
  trial.settings = test::SmallSettings();  // 25 frames a second
  trial.device = "gpu";
  trial.status = WorkerStatus::kDone;
  trial.throughput_fps = fps;
  trial.cpu_cores = cores;
  trial.quality = Quality{.picture_score = score, .seconds_picture_score = {score + 2, score - 2}, .worst_second = 1};
  return trial;
}

TEST(Option, TakesTheWorstOfAllFootage) {
  const Option option = MakeOption({TrialWith(100, 0.5, 60), TrialWith(50, 0.9, 35), TrialWith(80, 0.7, 50)}, true);
  EXPECT_TRUE(option.measured);
  EXPECT_DOUBLE_EQ(option.throughput_fps, 50);
  EXPECT_DOUBLE_EQ(option.headroom, 0.5);
  EXPECT_DOUBLE_EQ(option.cpu_cores, 0.9);
  EXPECT_DOUBLE_EQ(option.score, 35);
  EXPECT_DOUBLE_EQ(option.quality.worst_second_score(), 33);
  EXPECT_DOUBLE_EQ(option.engine_share(), 0.5);
}

TEST(Option, OneFailureIsTroubleForTheWhole) {
  Trial hung = TrialWith(0, 0, 0);
  hung.status = WorkerStatus::kTimedOut;
  hung.detail = "no answer for 15 s; stopped";
  const Option option = MakeOption({TrialWith(100, 0.5, 60), hung}, true);
  EXPECT_FALSE(option.measured);
  EXPECT_FALSE(option.keeps_pace(0));
  EXPECT_EQ(option.trouble, "timed out: no answer for 15 s; stopped");
}

TEST(Option, AllFailedHasNoSpeed) {
  Trial crashed = TrialWith(0, 0, 0);
  crashed.status = WorkerStatus::kCrashed;
  const Option option = MakeOption({crashed}, false);
  EXPECT_EQ(option.throughput_fps, 0);
  EXPECT_EQ(option.headroom, -1);
  EXPECT_FALSE(option.scored());
}

TEST(Option, KeepsPaceFromTheRequiredHeadroomOn) {
  const Option option = MakeOption({TrialWith(50, 0.5, 60)}, true);
  EXPECT_TRUE(option.keeps_pace(0.5));
  EXPECT_FALSE(option.keeps_pace(0.51));
}

}  // namespace
}  // namespace kettle
