// SPDX-License-Identifier: Apache-2.0
// watch, on a process that sends as a stream does.

#include <csignal>

#include "loopback.h"
#include "program.h"

namespace kettle {
namespace {

using testing::HasSubstr;

class WatchTest : public test::ProgramTest {
 protected:
  void TearDown() override {
    for (const pid_t pid : children_) {
      kill(pid, SIGKILL);
      waitpid(pid, nullptr, 0);
    }
  }
  // 2 Mbit/s over loopback to a process that reads it; ends by itself after `seconds`.
  pid_t StartSender(int seconds) {
    const test::Loopback connection;
    children_.push_back(fork());
    if (children_.back() == 0) {
      close(connection.from);
      std::string data(100'000, ' ');
      while (read(connection.to, data.data(), data.size()) > 0) {
      }
      _exit(0);
    }
    children_.push_back(fork());
    if (children_.back() == 0) {
      close(connection.to);
      const std::string data(25'000, 'x');
      for (int i = 0; i < seconds * 10; ++i) {
        if (write(connection.from, data.data(), data.size()) < 0) _exit(1);
        usleep(100'000);
      }
      _exit(0);
    }
    return children_.back();
  }

 private:
  std::vector<pid_t> children_;
};

TEST_F(WatchTest, TellsWhatAProgramSendsAndKeepsIt) {
  const pid_t sender = StartSender(60);
  const auto ran = Run("watch --pid " + std::to_string(sender) + " --seconds 3 --out out");
  EXPECT_LE(ran.code, 1) << ran.err;
  ExpectValid("watch");
  const auto watched = Json("out/watch.json");
  EXPECT_EQ(watched["seconds"].size(), 3u);
  EXPECT_EQ(watched["facts"]["pid"], sender);
  EXPECT_GT(watched["seconds"][1]["sent_kbps"].get<double>(), 200);
  EXPECT_THAT(Get(path("out/seconds.csv")), HasSubstr("sent_kbps"));
  EXPECT_GT(std::filesystem::file_size(path("out/watch.svg")), 1000u);
  EXPECT_THAT(Run("history --kind watch").out, HasSubstr("watch"));
  EXPECT_THAT(Run("report out").out, HasSubstr("report.html"));
}

TEST_F(WatchTest, AProgramThatEndsMeanwhileIsSaid) {
  const pid_t sender = StartSender(2);
  const auto ran = Run("watch --pid " + std::to_string(sender) + " --seconds 30 --out out");
  EXPECT_LE(ran.code, 1) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("ended while it was watched"));
}

TEST_F(WatchTest, WhatCannotBeWatchedIsSaid) {
  EXPECT_THAT(Run("watch --pid 999999999 --out out").complaint(), HasSubstr("no process"));
  EXPECT_THAT(Run("watch --program no-such-streamer --out out").complaint(),
              HasSubstr("no program \"no-such-streamer\""));
  EXPECT_THAT(Run("watch --pid 1 --plan nowhere.json --out out").complaint(), HasSubstr("nowhere.json"));
}

}  // namespace
}  // namespace kettle
