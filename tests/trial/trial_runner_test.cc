// SPDX-License-Identifier: Apache-2.0
// What a trial asks of its workers. A shell script stands for them: its first encode is slow and its driver says why.
#include "fakes.h"
#include "kettle/task/tasks.h"
#include "kettle/trial/trial.h"

namespace kettle {
namespace {

class TrialRunnerTest : public test::FolderTest {
 protected:
  Trial Run(const StandInGpu& gpu, const EncodeOutcome& first, std::optional<double> least_headroom) {
    const EncodeOutcome next{.frames = 60, .fed_frames = 60, .seconds = 0.5};
    const std::string log = path("asked.txt").string();
    const std::string answers =
        "case \"$(cat)\" in *code-once*) echo coded >>" + log + "; echo '{\"result\": {}}';; *) if [ -e " + log +
        " ]; then echo '{\"result\": " + nlohmann::json(next).dump() +
        "}'; else echo 'this machine codes too slowly' >&2; echo '{\"result\": " + nlohmann::json(first).dump() +
        "}'; fi; echo encode >>" + log + ";; esac";
    const WorkerProcess worker({"/bin/sh", "-c", answers}, gpu, nullptr);
    ProcessTrialRunner runner(worker, path(""), [](const std::string&, double) {});
    const EncodeSettings settings = test::SmallSettings("nvenc-h264", "p4");
    const Footage footage = test::FakeFootage("clip");
    return runner.Run({.settings = settings, .footage = footage, .quality = false, .least_headroom = least_headroom});
  }
  std::string asked() const { return Get(path("asked.txt")); }

  const StandInGpu simulated_{"/some/profile.toml", {"0000:01:00.0"}, {}, "/drivers"};
  const EncodeOutcome slow_{.frames = 60, .fed_frames = 60, .seconds = 4};
};

TEST_F(TrialRunnerTest, WhatASimulatedCardCodedTooSlowlyIsMeasuredOnceMore) {
  const Trial trial = Run(simulated_, slow_, 0.2);
  EXPECT_EQ(asked(), "encode\nencode\n");
  EXPECT_DOUBLE_EQ(trial.throughput_fps, 120);
  EXPECT_EQ(trial.driver_words, "");
}

TEST_F(TrialRunnerTest, AndCodedWholeBeforeIfItWasCutShort) {
  EncodeOutcome cut = slow_;
  cut.truncated = true;
  EXPECT_FALSE(Run(simulated_, cut, 0.2).truncated);
  EXPECT_EQ(asked(), "encode\ncoded\nencode\n");
}

TEST_F(TrialRunnerTest, ARealCardIsAsSlowAsItIs) {
  const Trial trial = Run({}, slow_, 0.2);
  EXPECT_EQ(asked(), "encode\n");
  EXPECT_DOUBLE_EQ(trial.throughput_fps, 15);
  EXPECT_EQ(trial.driver_words, "this machine codes too slowly");
}

TEST_F(TrialRunnerTest, WhereTrialsAreRepeatedTheNextOneTells) {
  Run(simulated_, slow_, std::nullopt);
  EXPECT_EQ(asked(), "encode\n");
}

}  // namespace
}  // namespace kettle
