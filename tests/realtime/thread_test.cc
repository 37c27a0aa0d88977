// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/thread.h"

#include <gtest/gtest.h>
#include <pthread.h>
#include <sched.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>
#include <string>
#include <thread>

namespace kettle {
namespace {

int Niceness() { return getpriority(PRIO_PROCESS, static_cast<id_t>(gettid())); }

TEST(Thread, ItsNameAndNicenessGoToThoseThatItStarts) {
  const int own = Niceness();
  int inner = 0;
  char name[16] = {};
  std::thread([&] {
    EXPECT_EQ(NameThread("a name longer than fifteen", 2), std::min(19, own + 2) - own);
    std::thread([&] {
      inner = Niceness();
      pthread_getname_np(pthread_self(), name, sizeof name);
    }).join();
  }).join();
  EXPECT_EQ(inner, std::min(19, own + 2));
  EXPECT_STREQ(name, "a name longer t");
  EXPECT_EQ(Niceness(), own);
}

TEST(Thread, TellsWhatNicenessItGot) {
  std::thread([] {
    const int before = Niceness(), got = NameThread("", -2);
    EXPECT_EQ(Niceness() - before, got);
    EXPECT_TRUE(got == -2 || got == 0) << "whether the user may or not";
  }).join();
}

// The niceness that the kernel gives a process's session; empty where it has none.
std::string SessionNiceness(pid_t process) {
  std::ifstream file("/proc/" + std::to_string(process) + "/autogroup");
  std::string group, word, niceness;
  file >> group >> word >> niceness;
  return niceness;
}

TEST(Thread, OnlyASessionOfItsOwnGetsANiceness) {
  const std::string before = SessionNiceness(getpid());
  if (before.empty()) GTEST_SKIP() << "this kernel has no autogroup";
  int go[2], done[2];
  ASSERT_EQ(pipe(go), 0);
  ASSERT_EQ(pipe(done), 0);
  const pid_t child = fork();
  if (child == 0) {
    SetSessionNiceness(6);  // of the session it shares: not its own to change
    setsid();
    SetSessionNiceness(5);
    char byte = 0;
    const bool told = write(done[1], &byte, 1) == 1 && read(go[0], &byte, 1) == 1;
    _exit(told ? 0 : 1);
  }
  char byte = 0;
  ASSERT_EQ(read(done[0], &byte, 1), 1);
  EXPECT_EQ(SessionNiceness(child), "5");
  EXPECT_EQ(SessionNiceness(getpid()), before);
  ASSERT_EQ(write(go[1], &byte, 1), 1);
  int status = -1;
  waitpid(child, &status, 0);
  EXPECT_EQ(status, 0);
}

TEST(Thread, StaysOnItsProcessorsAndTakesItsOwnThreadsWithIt) {
  cpu_set_t all;
  sched_getaffinity(0, sizeof all, &all);
  int first = 0;
  while (!CPU_ISSET(first, &all)) ++first;
  cpu_set_t inner, unchanged;
  std::thread([&] {
    KeepThreadOn({});
    sched_getaffinity(0, sizeof unchanged, &unchanged);
    KeepThreadOn({first});
    std::thread([&] { sched_getaffinity(0, sizeof inner, &inner); }).join();
  }).join();
  EXPECT_TRUE(CPU_EQUAL(&unchanged, &all));
  EXPECT_EQ(CPU_COUNT(&inner), 1);
  EXPECT_TRUE(CPU_ISSET(first, &inner));
}

TEST(Thread, APunctualThreadKeepsItsPrivilegeToItself) {
  const int before = sched_getscheduler(0);  // a test in this process may have made its thread punctual
  int policy = -1;
  std::thread([&] {
    KeepThreadPunctual();
    std::thread([&] { policy = sched_getscheduler(0); }).join();
  }).join();
  EXPECT_EQ(policy, SCHED_OTHER);
  EXPECT_EQ(sched_getscheduler(0), before);
}

}  // namespace
}  // namespace kettle
