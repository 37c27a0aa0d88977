// SPDX-License-Identifier: Apache-2.0
// Ctrl-C keeps what is finished and leaves no half file and no orphan.
#include <signal.h>
#include <unistd.h>

#include <chrono>
#include <cstring>
#include <thread>

#include "program.h"

namespace kettle {
namespace {

class InterruptTest : public test::ProgramTest {
 protected:
  // Starts a bench that would take minutes; returns once a first trial is kept, or after a minute.
  pid_t StartBench() {
    Put("show.toml",
        "[picture]\nsource_size = \"640x360\"\nframe_rate = \"30\"\nfootage = [\"open-water\"]\n[stream]\nbit_rate = "
        "\"1 Mbit/s\"\n");
    const pid_t pid = Start({"bench", "--quiet", "--footage-seconds", "10", "--show", "show.toml", "--out", "out"});
    for (int i = 0; i < 600 && !std::filesystem::exists(path("out/bench.json")); ++i)
      std::this_thread::sleep_for(std::chrono::milliseconds(100));
    return pid;
  }

  static bool Runs(pid_t pid) {
    std::string stat;
    std::getline(std::ifstream("/proc/" + std::to_string(pid) + "/stat"), stat);
    const auto close = stat.rfind(')');
    return close != stat.npos && stat.find("(kettle-engine)") != stat.npos && stat.at(close + 2) != 'Z';
  }

  // A killed process may take a moment to go.
  static void ExpectGone(const std::vector<pid_t>& workers) {
    for (const pid_t worker : workers) {
      for (int i = 0; i < 300 && Runs(worker); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(100));
      EXPECT_FALSE(Runs(worker)) << "orphan " << worker << " is left";
    }
  }
};

TEST_F(InterruptTest, KeepsFinishedTrialsAndNothingElse) {
  for (const int signal : {SIGINT, SIGTERM}) {
    std::filesystem::remove_all(path("out"));
    const pid_t pid = StartBench();
    ASSERT_TRUE(std::filesystem::exists(path("out/bench.json")));
    const std::vector<pid_t> workers = AwaitChildrenOf(pid, "kettle-engine");
    ASSERT_EQ(workers.size(), 1u);
    kill(pid, signal);
    int status = 0;
    waitpid(pid, &status, 0);
    EXPECT_TRUE(WIFEXITED(status));
    EXPECT_EQ(WEXITSTATUS(status), 130);
    EXPECT_GE(Json("out/bench.json")["trials"].size(), 1u);
    ExpectGone(workers);
    for (const auto& entry : std::filesystem::directory_iterator(path("out")))
      EXPECT_THAT(entry.path().filename().string(), testing::AnyOf("bench.json", "bench.csv", "quality.csv", ".lock"));
  }
}

TEST_F(InterruptTest, AKilledProgramLeavesWholeFilesAndNoWorker) {
  const pid_t pid = StartBench();
  const std::vector<pid_t> workers = AwaitChildrenOf(pid, "kettle-engine");
  ASSERT_EQ(workers.size(), 1u);
  kill(pid, SIGKILL);
  waitpid(pid, nullptr, 0);
  EXPECT_GE(Json("out/bench.json")["trials"].size(), 1u);
  ExpectGone(workers);
  // The next run takes up what is there.
  const test::Ran again = Run(
      "bench --show show.toml --footage-seconds 10 --encoder x264 --preset ultrafast --repeats 1 --resume --out out");
  EXPECT_EQ(again.code, 0) << again.err;
  // What was measured while the machine was disturbed is measured anew once it is quiet.
  EXPECT_THAT(again.out, testing::AnyOf(testing::HasSubstr("1 reused"), testing::HasSubstr("1 trial")));
}

// While its libraries are being loaded, a signal once ended it without a word.
TEST_F(InterruptTest, WhileItStartsASignalWaits) {
  for (const int signal : {SIGINT, SIGTERM, SIGHUP}) {
    const pid_t pid = Start({"footage", "render", "open-water", "--seconds", "60", "--out", "scene.y4m"});
    for (int i = 0; i < 60'000 && !Runs(pid); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(1));
    kill(pid, signal);
    const test::Ran ran = Wait(pid);
    EXPECT_EQ(ran.code, 130) << strsignal(signal) << ran.err;
    EXPECT_THAT(ran.complaint(), testing::HasSubstr("interrupted"));
    EXPECT_FALSE(std::filesystem::exists(path("scene.y4m")));
  }
}

}  // namespace
}  // namespace kettle
