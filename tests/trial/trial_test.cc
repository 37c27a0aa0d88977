// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/trial.h"

#include "says.h"
#include "support.h"

namespace kettle {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

Trial Measured(double fps, double stolen = 0, double other = 0) {
  Trial trial;
  trial.settings = test::SmallSettings();
  trial.status = WorkerStatus::kDone;
  trial.repeats = {{.throughput_fps = fps,
                    .cpu_cores = 1,
                    .other_cores = other,
                    .stolen_cores = stolen,
                    .busiest = other > 0 ? "wake" : ""}};
  Summarise(trial);
  return trial;
}

TEST(Trial, FiguresAreMediansOfItsRepeats) {
  Trial trial = Measured(100);
  EXPECT_FALSE(trial.interval) << "one measurement has no spread";
  AddRepeat(trial, Measured(120));
  AddRepeat(trial, Measured(104));
  EXPECT_DOUBLE_EQ(trial.throughput_fps, 104);
  EXPECT_DOUBLE_EQ(trial.headroom, 1 - 25.0 / 104);
  EXPECT_GT(*trial.interval, 0.03);
  EXPECT_THAT(trial.marks(), ElementsAre(test::Says("noisy")));
}

TEST(Trial, DisturbedRepeatsDoNotCountIfThereAreOthers) {
  Trial trial = Measured(50, 0.5);
  EXPECT_TRUE(trial.disturbed());
  EXPECT_THAT(trial.marks(), ElementsAre(test::Says("the hypervisor took 0.5 cores")));
  AddRepeat(trial, Measured(100));
  AddRepeat(trial, Measured(100));
  EXPECT_FALSE(trial.disturbed()) << "one of three";
  EXPECT_GT(*trial.interval, 0) << "too few to leave one out";
  AddRepeat(trial, Measured(100));
  EXPECT_DOUBLE_EQ(*trial.interval, 0) << "three quiet ones are enough";
  EXPECT_DOUBLE_EQ(trial.throughput_fps, 100);
  EXPECT_EQ(trial.repeats.size(), 4u);
  EXPECT_THAT(Measured(50, 0, 0.7).marks(), ElementsAre(test::Says("wake took 0.7 cores")));
}

TEST(Trial, AFailureInAnyRepeatIsTheTrials) {
  Trial trial = Measured(100), crash = Measured(100);
  crash.status = WorkerStatus::kCrashed;
  crash.detail = "crashed with signal 11";
  AddRepeat(trial, crash);
  EXPECT_EQ(trial.status, WorkerStatus::kCrashed);
  EXPECT_EQ(trial.detail, "in repeat 2: crashed with signal 11");
}

TEST(Trial, WhatIsOddIsTold) {
  Trial trial = Measured(100);
  trial.slow_down = SlowDown{40, 9.6};
  trial.truncated = true;
  trial.frames = 31;
  trial.driver_words = "low tide";
  EXPECT_THAT(trial.marks(),
              ElementsAre(test::Says("10 times slower from frame 40 on"), test::Says("the driver says: low tide"),
                          test::Says("cut short after 31 frames")));
}

}  // namespace
}  // namespace kettle
