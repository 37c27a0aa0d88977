// SPDX-License-Identifier: Apache-2.0
// A terminal that is closed, a pipe that ends, a full disk behind standard output. `watch` under a terminal that went
// away died of SIGABRT.
#include <pty.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <csignal>
#include <thread>

#include "program.h"

namespace kettle {
namespace {

class ClosedTerminalTest : public test::ProgramTest {
 protected:
  // A bench that would take minutes, with its words going to `prepare`d outputs; back once a trial is kept.
  template <class Prepare>
  pid_t StartBench(Prepare prepare) {
    Put("show.toml",
        "[picture]\nsource_size = \"640x360\"\nframe_rate = \"30\"\nfootage = [\"open-water\"]\n[stream]\nbit_rate = "
        "\"1 Mbit/s\"\n");
    const std::string folder = path(""), cache = CacheFolder(), data = path("data");
    const pid_t pid = prepare();
    if (pid == 0) {
      if (chdir(folder.c_str()) != 0 || setenv("XDG_CACHE_HOME", cache.c_str(), 1) != 0 ||
          setenv("XDG_DATA_HOME", data.c_str(), 1) != 0)
        _exit(127);
      execl(KETTLE_PROGRAM, KETTLE_PROGRAM, "bench", "--footage-seconds", "10", "--show", "show.toml", "--out", "out",
            nullptr);
      _exit(127);
    }
    return pid;
  }
  void AwaitTrial(int terminal = -1) {
    for (int i = 0; i < 600 && !std::filesystem::exists(path("out/bench.json")); ++i) {
      char shown[4096];  // a terminal that nobody reads stops whoever writes to it
      if (terminal >= 0) [[maybe_unused]]
        const ssize_t ignored = read(terminal, shown, sizeof shown);
      if (terminal < 0) std::this_thread::sleep_for(std::chrono::milliseconds(100));
    }
  }
  // Its exit code; a negative one is the signal that ended it.
  static int Ended(pid_t pid) {
    int status = 0;
    waitpid(pid, &status, 0);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -WTERMSIG(status);
  }
};

TEST_F(ClosedTerminalTest, EndsARunAsCtrlCDoes) {
  int terminal = -1;
  const pid_t pid = StartBench([&] { return forkpty(&terminal, nullptr, nullptr, nullptr); });
  AwaitTrial(terminal);
  close(terminal);  // the kernel hangs up
  EXPECT_EQ(Ended(pid), 130);
  EXPECT_GE(Json("out/bench.json")["trials"].size(), 1u);
}

TEST_F(ClosedTerminalTest, NohupGoesOn) {
  int terminal = -1;
  const pid_t pid = StartBench([&] {
    const pid_t child = forkpty(&terminal, nullptr, nullptr, nullptr);
    if (child == 0) std::signal(SIGHUP, SIG_IGN);
    return child;
  });
  AwaitTrial(terminal);
  close(terminal);
  std::this_thread::sleep_for(std::chrono::seconds(1));
  EXPECT_EQ(kill(pid, 0), 0);
  int status = 0;
  EXPECT_EQ(waitpid(pid, &status, WNOHANG), 0) << "it was ended by the hang-up";
  kill(pid, SIGTERM);
  EXPECT_EQ(Ended(pid), 130) << "nor by what it prints to nobody";
}

TEST_F(ClosedTerminalTest, APipeThatNobodyReadsIsNoCrash) {
  int pipe_ends[2];
  ASSERT_EQ(pipe(pipe_ends), 0);
  const pid_t pid = StartBench([&] {
    const pid_t child = fork();
    if (child == 0) {
      close(pipe_ends[0]);
      dup2(pipe_ends[1], STDOUT_FILENO);
    }
    return child;
  });
  close(pipe_ends[1]);
  close(pipe_ends[0]);  // nobody reads it
  AwaitTrial();
  kill(pid, SIGINT);
  EXPECT_EQ(Ended(pid), 130);
}

TEST_F(ClosedTerminalTest, ADiskThatIsFullBehindStandardOutputIsSaidOnce) {
  if (!std::filesystem::exists("/dev/full")) GTEST_SKIP() << "no device that is always full";
  const std::string command = "cd '" + path("").string() + "' && XDG_DATA_HOME='" + path("data").string() +
                              "' " KETTLE_PROGRAM " survey --out out --quiet >/dev/full 2>stderr.txt";
  const int status = std::system(command.c_str());
  EXPECT_EQ(WEXITSTATUS(status), 3);
  EXPECT_EQ(Get(path("stderr.txt")), "fast-kettle: cannot write to standard output\n");
  EXPECT_TRUE(std::filesystem::exists(path("out/survey.json"))) << "the result is there all the same";
}

}  // namespace
}  // namespace kettle
