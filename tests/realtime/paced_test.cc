// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/paced.h"

#include <filesystem>
#include <fstream>

#include "kettle/media/reader.h"
#include "support.h"

namespace kettle {
namespace {

class PacedTest : public test::FolderTest {
 protected:
  // Two outputs of a 25 a second source, the stream at half its rate and size.
  PaceTask Task(double seconds) {
    PaceTask task;
    task.footage = {test::MakeY4m(path("a.y4m"), {192, 128}, {25, 1}, 20),
                    test::MakeY4m(path("b.y4m"), {192, 128}, {25, 1}, 15)};
    task.source_rate = {25, 1};
    task.seconds = seconds;
    EncodeSettings stream = test::SmallSettings();
    stream.size = {96, 64};
    stream.frame_rate = {25, 2};
    task.outputs = {{stream, path("stream.flv").string()}, {test::SmallSettings(), path("recording.mkv").string()}};
    return task;
  }
};

TEST_F(PacedTest, EveryFrameIsEncodedOrSkipped) {
  test::FakeClock clock;  // no waiting: all frames come at once, so the queues may well be full
  const PaceOutcome outcome = RunPaced(Task(2), clock, [](double) {});
  ASSERT_EQ(outcome.outputs.size(), 2u);
  EXPECT_EQ(outcome.outputs[0].frames, 25);
  EXPECT_EQ(outcome.outputs[1].frames, 50);
  for (const PacedOutputOutcome& output : outcome.outputs) {
    EXPECT_EQ(output.packets + output.skipped, output.frames);
    EXPECT_EQ(output.frame_times.size(), static_cast<std::size_t>(output.frames));
    EXPECT_LE(output.deepest_queue, 6);
    const auto skipped = std::count_if(output.frame_times.begin(), output.frame_times.end(),
                                       [](const PacedFrame& f) { return f.taken_ms < 0; });
    EXPECT_EQ(skipped, output.skipped);
  }
}

TEST_F(PacedTest, AQueueDeepEnoughSkipsNothingAndTheFilesAreWhole) {
  test::FakeClock clock;
  PaceTask task = Task(2);
  task.queue_depth = 1000;
  const PaceOutcome outcome = RunPaced(task, clock, [](double) {});
  EXPECT_EQ(outcome.outputs[0].skipped + outcome.outputs[1].skipped, 0);
  MediaReader stream(path("stream.flv")), recording(path("recording.mkv"));
  EXPECT_EQ(stream.ReadPackets().size(), 25u);
  EXPECT_EQ(recording.ReadPackets().size(), 50u);
}

bool HasThread(const std::string& name) {
  for (const auto& task : std::filesystem::directory_iterator("/proc/self/task")) {
    std::string comm;
    std::getline(std::ifstream(task.path() / "comm"), comm);
    if (comm == name) return true;
  }
  return false;
}

TEST_F(PacedTest, ASecondThatTakesTooMuchEndsTheRunAfterFourSeconds) {
  PaceTask task = Task(8);
  task.queue_depth = 1000;
  task.most_cpu_cores = 1e-9;
  test::FakeClock clock;
  const PaceOutcome outcome = RunPaced(task, clock, [](double) {});
  EXPECT_TRUE(outcome.ended_early);
  EXPECT_NEAR(outcome.seconds, 4, 0.1);
  EXPECT_NEAR(outcome.outputs[1].frames, 100, 2);
  EXPECT_EQ(outcome.outputs[1].packets, outcome.outputs[1].frames) << "what was taken until then comes out coded";
  task.most_cpu_cores = 1e9;
  test::FakeClock again;
  const PaceOutcome whole = RunPaced(task, again, [](double) {});
  EXPECT_FALSE(whole.ended_early);
  EXPECT_EQ(whole.outputs[1].frames, 200);
}

TEST_F(PacedTest, SoundIsEncodedBesideThePictures) {
  SteadyClock clock;
  PaceTask task = Task(1);
  task.sound_kbps = 160;
  bool seen = false;
  const PaceOutcome outcome = RunPaced(task, clock, [&](double) { seen = seen || HasThread("sound"); });
  EXPECT_EQ(outcome.outputs[1].packets + outcome.outputs[1].skipped, 25);
  EXPECT_TRUE(seen);
  EXPECT_FALSE(HasThread("sound")) << "it ends with the run";
}

TEST_F(PacedTest, AnEncoderThatDoesNotOpenIsAnError) {
  test::FakeClock clock;
  PaceTask task = Task(1);
  task.outputs[0].settings.encoder = "nvenc-h264";
  task.outputs[0].settings.preset = "p1";
  EXPECT_THROW(RunPaced(task, clock, [](double) {}), Error);
}

TEST_F(PacedTest, AFolderThatIsNotThereIsAnError) {
  test::FakeClock clock;
  PaceTask task = Task(1);
  task.outputs[1].output = path("none/recording.mkv").string();
  EXPECT_THROW(RunPaced(task, clock, [](double) {}), Error);
}

}  // namespace
}  // namespace kettle
