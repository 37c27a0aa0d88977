// SPDX-License-Identifier: Apache-2.0
// A worker may do anything: crash, hang, write nonsense, fill the pipe. Shell scripts stand for it here.
#include "kettle/worker/worker_process.h"

#include <signal.h>

#include <thread>

#include "kettle/task/tasks.h"
#include "support.h"

namespace kettle {
namespace {

WorkerReport RunScript(const std::string& script, double deadline = 20) {
  const WorkerProcess worker({"/bin/sh", "-c", script}, StandInGpu{}, nullptr);
  return worker.Run({"encode", {{"x", 1}}, deadline});
}

TEST(WorkerProcess, GivesTheResultAndTheKernelsAccount) {
  const WorkerReport report = RunScript(
      "cat >/dev/null; echo '{\"progress\": 0.5}'; i=0; while [ $i -lt 20000 ]; do i=$((i+1)); done; echo "
      "'{\"result\": {\"a\": 1}}'");
  EXPECT_EQ(report.status, WorkerStatus::kDone) << report.detail;
  EXPECT_EQ(report.result["a"], 1);
  EXPECT_GT(report.cpu_seconds, 0);
  EXPECT_GT(report.peak_memory_bytes, 100'000);
}

TEST(WorkerProcess, TellsTheRequest) {
  const WorkerProcess worker({"/bin/sh", "-c", "printf '{\"result\":'; cat; echo '}'"},
                             StandInGpu{"/some/profile.toml", {}, {"0000:03:00.0"}, "/drivers"}, nullptr);
  const WorkerReport report = worker.Run({"probe", {{"x", 1}}, 20});
  EXPECT_EQ(report.result["task"], "probe");
  EXPECT_EQ(report.result["stand_in_gpu"]["profile"], "/some/profile.toml");
  EXPECT_EQ(report.result["stand_in_gpu"]["vaapi"][0], "0000:03:00.0");
  EXPECT_EQ(report.result["arguments"]["x"], 1);
}

TEST(WorkerProcess, ReportsProgress) {
  const WorkerProcess worker({"/bin/sh", "-c", "cat >/dev/null; echo '{\"progress\": 0.25}'; echo '{\"result\": {}}'"},
                             StandInGpu{}, nullptr);
  std::vector<double> shares;
  worker.Run({"encode", {}, 20}, [&](double share) { shares.push_back(share); });
  EXPECT_THAT(shares, testing::ElementsAre(0.25));
}

TEST(WorkerProcess, WhateverItDoesHasAName) {
  const std::tuple<const char*, WorkerStatus, const char*> cases[] = {
      {"cat >/dev/null; kill -SEGV $$", WorkerStatus::kCrashed, "signal 11"},
      {"kill -ABRT $$", WorkerStatus::kCrashed, "signal 6"},
      {"cat >/dev/null; echo 'not json'; echo '{\"result\": {}}'", WorkerStatus::kMalformed, "malformed reply"},
      {"cat >/dev/null; echo '[1, 2]'", WorkerStatus::kMalformed, "malformed reply"},
      {"cat >/dev/null; echo '{\"progress\": \"half\"}'", WorkerStatus::kMalformed, "malformed reply"},
      {"cat >/dev/null; exit 0", WorkerStatus::kMalformed, "code 0"},
      {"cat >/dev/null; exit 7", WorkerStatus::kMalformed, "code 7"},
      {"cat >/dev/null; echo '{\"error\": \"no such encoder\"}'; exit 3", WorkerStatus::kFailed, "no such encoder"},
      {"cat >/dev/null; head -c 300000000 /dev/zero", WorkerStatus::kMalformed, "malformed reply"}};
  for (const auto& [script, status, words] : cases) {
    const WorkerReport report = RunScript(script);
    EXPECT_EQ(Name(report.status), std::string(Name(status))) << script;
    EXPECT_THAT(report.detail, testing::HasSubstr(words)) << script;
  }
}

TEST(WorkerProcess, WhatTheUserDidWrongIsKeptApart) {
  const auto fails = [](const std::string& more) {
    return RunScript("cat >/dev/null; echo '{\"error\": \"no\"" + more + "}'; exit 3");
  };
  EXPECT_EQ(fails("").status, WorkerStatus::kFailed);
  EXPECT_FALSE(fails("").input);
  EXPECT_FALSE(fails(", \"input\": \"perhaps\"").input);
  EXPECT_TRUE(fails(", \"input\": true").input);
}

TEST(WorkerProcess, AnAnswerOfTheWrongShapeIsNonsense) {
  WorkerReport report = RunScript("cat >/dev/null; echo '{\"result\": {\"p50_ms\": \"soon\"}}'");
  ASSERT_EQ(report.status, WorkerStatus::kDone);
  EXPECT_FALSE(AnswerOf<Latency>(report));
  EXPECT_EQ(report.status, WorkerStatus::kMalformed);
  EXPECT_FALSE(report.detail.empty());
}

TEST(WorkerProcess, AHangIsEndedAtItsDeadline) {
  const WorkerReport report = RunScript("exec sleep 600", 0.3);
  EXPECT_EQ(report.status, WorkerStatus::kTimedOut);
  EXPECT_LT(report.wall_seconds, 100);
}

TEST(WorkerProcess, SilenceEndsItLongBeforeTheDeadline) {
  const WorkerProcess worker({"/bin/sh", "-c", "cat >/dev/null; echo '{\"progress\": 0}'; exec sleep 600"},
                             StandInGpu{}, nullptr);
  const WorkerReport report = worker.Run({"encode", {}, 500, 0.4});
  EXPECT_EQ(report.status, WorkerStatus::kTimedOut);
  EXPECT_THAT(report.detail, testing::HasSubstr("no answer for"));
  EXPECT_LT(report.wall_seconds, 100);
}

TEST(WorkerProcess, WhatADriverSaysOnStandardErrorIsKept) {
  const WorkerReport done =
      RunScript("cat >/dev/null; echo hello >&2; echo 'the tide is out' >&2; echo '{\"result\": {}}'");
  EXPECT_EQ(done.status, WorkerStatus::kDone);
  EXPECT_EQ(done.last_words, "the tide is out");
  EXPECT_THAT(RunScript("cat >/dev/null; echo 'aground' >&2; kill -SEGV $$").detail, testing::HasSubstr("aground"));
}

// One that closed its output and then hung was once waited for without end.
TEST(WorkerProcess, AHangAfterClosingItsOutputIsEndedToo) {
  const WorkerReport report = RunScript("exec >&-; exec sleep 600", 0.3);
  EXPECT_EQ(report.status, WorkerStatus::kTimedOut);
}

// A device process once inherited the worker's output: the parent waited for it to close.
TEST(WorkerProcess, AProcessThatItStartedMayKeepItsOutputOpen) {
  const WorkerReport report = RunScript("cat >/dev/null; sleep 20 & echo '{\"result\": {\"a\": 1}}'", 15);
  EXPECT_EQ(report.status, WorkerStatus::kDone) << report.detail;
  EXPECT_LT(report.wall_seconds, 10);
}

// A worker that never read a long request was once waited for without end.
TEST(WorkerProcess, OneThatDoesNotReadItsRequestIsEndedToo) {
  const WorkerProcess worker({"/bin/sh", "-c", "exec sleep 600"}, StandInGpu{}, nullptr);
  const WorkerReport report = worker.Run({"encode", {{"long", std::string(4 << 20, 'x')}}, 600, 0.3});
  EXPECT_EQ(report.status, WorkerStatus::kTimedOut);
}

// An answer that came between a look at the pipe and one at the process was once lost.
TEST(WorkerProcess, AnAnswerAtTheLastMomentCounts) {
  for (int i = 0; i < 40; ++i) {
    const WorkerReport report =
        RunScript("cat >/dev/null; sleep 0.0" + std::to_string(40 + i % 20) + "; echo '{\"result\": {\"a\": 1}}'");
    ASSERT_EQ(report.status, WorkerStatus::kDone) << report.detail;
  }
}

// The worker and what it had started once stayed when progress threw, as it does on Ctrl-C.
TEST(WorkerProcess, NothingIsLeftWhenProgressThrows) {
  const TemporaryFolder folder(std::filesystem::temp_directory_path());
  const std::string ids = folder.path() / "ids";
  const WorkerProcess worker(
      {"/bin/sh", "-c", "cat >/dev/null; sleep 600 & echo $! $$ >'" + ids + "'; echo '{\"progress\": 0.5}'; sleep 600"},
      StandInGpu{}, nullptr);
  EXPECT_THROW(worker.Run({"encode", {}, 600}, [](double) { throw std::runtime_error("enough"); }), std::runtime_error);
  std::ifstream file(ids);
  for (int id; file >> id;) {
    // What was killed is a zombie until its heir, who may be slow, waits for it.
    std::string number, name, state = "gone";
    for (int i = 0; i < 500 && state != "Z"; ++i) {
      std::ifstream stat("/proc/" + std::to_string(id) + "/stat");
      if (!(stat >> number >> name >> state)) break;
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    EXPECT_TRUE(kill(id, 0) != 0 || state == "Z") << id << " still runs";
  }
}

TEST(WorkerProcess, AProgramThatIsNotThereIsAReport) {
  const WorkerProcess worker({"/no/such/program"}, StandInGpu{}, nullptr);
  EXPECT_EQ(worker.Run({"encode", {}, 5}).status, WorkerStatus::kMalformed);
}

TEST(WorkerProcess, AStopKillsIt) {
  std::atomic<bool> stop = false;
  const WorkerProcess worker({"/bin/sh", "-c", "exec sleep 600"}, StandInGpu{}, &stop);
  std::thread stopper([&] { stop = true; });
  test::Complaint(Fault::kInterrupted, [&] { worker.Run({"encode", {}, 600}); });
  stopper.join();
}

TEST(WorkerProcess, AFullDiskIsNoPropertyOfAnEncoder) {
  test::Complaint(Fault::kMachine,
                  [] { RunScript("cat >/dev/null; echo '{\"error\": \"cannot write x: No space left on device\"}'"); });
}

}  // namespace
}  // namespace kettle
