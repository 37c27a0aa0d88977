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

TEST(Option, AFurtherCardIsCalledByItsName) {
  Trial trial = TrialWith(100, 0.5, 60);
  trial.device_name = "Tidewater 20 (simulated), driver 11.1 (simulated)";
  EXPECT_EQ(MakeOption({trial}, true).title(), "x264 ultrafast");
  trial.settings.device = 1;
  EXPECT_EQ(MakeOption({trial}, true).title(), "x264 ultrafast on GPU Tidewater 20");
  trial.device_name.clear();
  EXPECT_EQ(MakeOption({trial}, true).title(), "x264 ultrafast on GPU 1");
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

TEST(Option, AClipCountsWithTheMeanOfItsBusiestAndCalmestStretch) {
  Trial first = TrialWith(100, 1, 40), second = TrialWith(100, 1, 44), calm = TrialWith(200, 1, 80);
  first.footage = "first";
  second.footage = "second";
  first.quality->picture_score_interval = 3;
  calm.quality->picture_score_interval = 4;
  const Option busiest = MakeOption({first, second}, true);
  EXPECT_DOUBLE_EQ(busiest.score, 40);
  EXPECT_DOUBLE_EQ(busiest.score_interval, 3);
  const Option whole = WithCalm(busiest, {{"first", calm}});
  EXPECT_DOUBLE_EQ(whole.score, 44) << "the first has 60 now; the second, without a calm stretch, looks worst";
  EXPECT_DOUBLE_EQ(whole.busiest_score(), 40);
  EXPECT_DOUBLE_EQ(whole.calmest_score(), 80);
  EXPECT_DOUBLE_EQ(whole.throughput_fps, 100) << "speed counts where it is lowest";
  const Option alone = WithCalm(MakeOption({first}, true), {{"first", calm}});
  EXPECT_DOUBLE_EQ(alone.score, 60);
  EXPECT_DOUBLE_EQ(alone.score_interval, 2.5);
}

TEST(Option, ACalmStretchThatFailedCountsForNothing) {
  Trial first = TrialWith(100, 1, 40), failed = TrialWith(0, 0, 0);
  first.footage = "first";
  failed.status = WorkerStatus::kCrashed;
  const Option option = WithCalm(MakeOption({first}, true), {{"first", failed}});
  EXPECT_DOUBLE_EQ(option.score, 40);
  EXPECT_TRUE(option.calm.empty());
}

TEST(Option, KeepsPaceFromTheRequiredHeadroomOn) {
  const Option option = MakeOption({TrialWith(50, 0.5, 60)}, true);
  EXPECT_TRUE(option.keeps_pace(0.5));
  EXPECT_FALSE(option.keeps_pace(0.51));
}

}  // namespace
}  // namespace kettle
