// SPDX-License-Identifier: Apache-2.0
// Ctrl-C keeps what is finished and leaves no half file and no orphan.
#include <signal.h>
#include <unistd.h>

#include <chrono>
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
    setenv("XDG_CACHE_HOME", CacheFolder().c_str(), 1);
    const std::string show = path("show.toml"), out = path("out");
    const pid_t pid = fork();
    if (pid == 0) {
      execl(KETTLE_PROGRAM, KETTLE_PROGRAM, "bench", "--quiet", "--footage-seconds", "10", "--show", show.c_str(),
            "--out", out.c_str(), nullptr);
      _exit(127);
    }
    for (int i = 0; i < 600 && !std::filesystem::exists(path("out/bench.json")); ++i)
      std::this_thread::sleep_for(std::chrono::milliseconds(100));
    return pid;
  }

  // Worker processes of that engine that are still there: their parent is it, or they were left to init.
  static int Workers(pid_t engine) {
    int workers = 0;
    for (const auto& entry : std::filesystem::directory_iterator("/proc")) {
      std::string stat;
      std::getline(std::ifstream(entry.path() / "stat"), stat);
      const auto close = stat.rfind(')');
      if (close == stat.npos || stat.find("(kettle-engine)") == stat.npos) continue;
      char state;
      int parent;
      if (std::sscanf(stat.c_str() + close + 1, " %c %d", &state, &parent) == 2 && state != 'Z' && parent == engine)
        ++workers;
    }
    return workers;
  }
};

TEST_F(InterruptTest, KeepsFinishedTrialsAndNothingElse) {
  for (const int signal : {SIGINT, SIGTERM}) {
    std::filesystem::remove_all(path("out"));
    const pid_t pid = StartBench();
    ASSERT_TRUE(std::filesystem::exists(path("out/bench.json")));
    EXPECT_LE(Workers(pid), 1);
    kill(pid, signal);
    int status = 0;
    waitpid(pid, &status, 0);
    EXPECT_TRUE(WIFEXITED(status));
    EXPECT_EQ(WEXITSTATUS(status), 130);
    EXPECT_GE(Json("out/bench.json")["trials"].size(), 1u);
    EXPECT_EQ(Workers(pid), 0) << "an orphan is left";
    for (const auto& entry : std::filesystem::directory_iterator(path("out")))
      EXPECT_THAT(entry.path().filename().string(), testing::AnyOf("bench.json", "bench.csv", "quality.csv", ".lock"));
  }
}

TEST_F(InterruptTest, AKilledProgramLeavesWholeFilesAndNoWorker) {
  const pid_t pid = StartBench();
  kill(pid, SIGKILL);
  waitpid(pid, nullptr, 0);
  EXPECT_GE(Json("out/bench.json")["trials"].size(), 1u);
  for (int i = 0; i < 100 && Workers(1) + Workers(pid) > 0; ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(100));
  EXPECT_EQ(Workers(pid), 0);
  // The next run takes up what is there.
  const test::Ran again = Run(
      "bench --show show.toml --footage-seconds 10 --encoder x264 --preset ultrafast --repeats 1 --resume --out out");
  EXPECT_EQ(again.code, 0) << again.err;
  EXPECT_THAT(again.out, testing::HasSubstr("1 of them taken up"));
}

}  // namespace
}  // namespace kettle
