// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/unpaced.h"

#include "kettle/media/reader.h"
#include "kettle/task/probe.h"
#include "support.h"

namespace kettle {
namespace {

class UnpacedTest : public test::FolderTest {
 protected:
  EncodeTask Task(const EncodeSettings& settings, int frames = 50) {
    EncodeTask task;
    task.settings = settings;
    task.footage = test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, frames);
    task.output = settings.encoder == "discard" ? "" : path("out.mkv").string();
    return task;
  }
  SteadyClock clock_;
};

TEST_F(UnpacedTest, MeasuresARealEncode) {
  int calls = 0;
  const EncodeOutcome outcome =
      RunUnpaced(Task(test::SmallSettings("x264", "veryfast")), clock_, [&](double) { ++calls; });
  EXPECT_EQ(outcome.frames, 50);
  EXPECT_EQ(outcome.fed_frames, 50 + kWarmUpFrames);
  EXPECT_GT(outcome.seconds, 0);
  EXPECT_GT(outcome.mean_kbps, 50);
  EXPECT_GE(outcome.peak_second_kbps, outcome.mean_kbps * 0.99);
  EXPECT_GT(outcome.latency.max_ms, 0);
  EXPECT_FALSE(outcome.truncated);
  EXPECT_GT(calls, 0);
  MediaReader reader(path("out.mkv"));
  EXPECT_EQ(reader.ReadPackets().size(), 50u);
}

TEST_F(UnpacedTest, TheFastestPresetMakesNoBFrames) {
  EXPECT_EQ(RunUnpaced(Task(test::SmallSettings("x264", "ultrafast")), clock_, [](double) {}).b_frames, 0);
  EXPECT_GT(RunUnpaced(Task(test::SmallSettings("x264", "medium")), clock_, [](double) {}).b_frames, 0);
}

TEST_F(UnpacedTest, TheDiscardingEncoderHandsOnEveryFrame) {
  const EncodeOutcome outcome = RunUnpaced(Task(test::SmallSettings("discard", "none")), clock_, [](double) {});
  EXPECT_EQ(outcome.frames, 50);
}

TEST_F(UnpacedTest, ScalesToTheEncodeSize) {
  EncodeSettings settings = test::SmallSettings();
  settings.size = {96, 64};
  RunUnpaced(Task(settings), clock_, [](double) {});
  EXPECT_EQ(MediaReader(path("out.mkv")).size(), (FrameSize{96, 64}));
}

// Half the frame rate once meant all frames at half the speed.
TEST_F(UnpacedTest, ALowerFrameRateTakesFewerFramesOfTheSameTime) {
  EncodeSettings settings = test::SmallSettings();
  settings.frame_rate = {25, 2};
  EXPECT_EQ(RunUnpaced(Task(settings), clock_, [](double) {}).frames, 25);
  MediaReader reader(path("out.mkv"));
  reader.ReadPackets();
  EXPECT_NEAR(reader.reached_seconds(), 2.0, 0.1);
}

TEST_F(UnpacedTest, ReferenceEncodesStandAroundItIfAskedFor) {
  EncodeTask task = Task(test::SmallSettings());
  EXPECT_FALSE(RunUnpaced(task, clock_, [](double) {}).before);
  task.look_at_speed = true;
  const EncodeOutcome outcome = RunUnpaced(task, clock_, [](double) {});
  ASSERT_TRUE(outcome.before && outcome.after);
  for (const auto& look : {*outcome.before, *outcome.after}) {
    EXPECT_GT(look.wall_seconds, 0);
    EXPECT_GT(look.cpu_seconds, 0);
  }
  EXPECT_EQ(outcome.frames, 50) << "they are not counted";
}

// On a machine whose reference encode took a tenth of a second before, and takes hours now.
TEST_F(UnpacedTest, AMachineThatIsSlowAtTheMomentGivesUpNothing) {
  EncodeTask task = Task(test::SmallSettings("x264", "ultrafast"), 40);
  task.longest_seconds = 12;
  task.least_fps = 100;
  task.look_at_speed = true;
  task.usual_reference_seconds = 0.01;
  EXPECT_FALSE(RunUnpaced(task, test::SlowClock(), [](double) {}).truncated);
}

TEST_F(UnpacedTest, AnEncodeThatIsFarTooSlowIsCutShort) {
  const EncodeOutcome outcome = RunUnpaced(Task(test::SmallSettings(), 80), test::SlowClock(), [](double) {});
  EXPECT_TRUE(outcome.truncated);
  EXPECT_EQ(outcome.frames, 30);
}

TEST_F(UnpacedTest, AnEncodeOfNoUseIsGivenUpAndNotFinished) {
  EncodeTask task = Task(test::SmallSettings("x264", "ultrafast"), 200);
  task.longest_seconds = 1e9;
  task.least_fps = 100;  // the clock below lets less than one pass a second
  const EncodeOutcome outcome = RunUnpaced(task, test::SlowClock(), [](double) {});
  EXPECT_TRUE(outcome.truncated);
  EXPECT_GE(outcome.frames, 15);
  EXPECT_LT(outcome.frames, 40);
  EXPECT_LT(outcome.frames / outcome.seconds, 1);
  EXPECT_GT(outcome.mean_kbps, 0);
  task.least_fps = 0.01;
  EXPECT_FALSE(RunUnpaced(task, test::SlowClock(), [](double) {}).truncated);
}

TEST(Probe, SaysWhyAnEncoderDoesNotWork) {
  EncodeSettings settings = test::SmallSettings("nvenc-h264", "p1");
  settings.size = {8192, 8192};  // more than any profile, and there is no driver in this process
  const ProbeOutcome outcome = RunProbe({settings});
  EXPECT_FALSE(outcome.works);
  EXPECT_FALSE(outcome.reason.empty());
}

}  // namespace
}  // namespace kettle
