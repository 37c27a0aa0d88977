// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/thread.h"

#include <gtest/gtest.h>
#include <pthread.h>
#include <sched.h>
#include <sys/resource.h>
#include <unistd.h>

#include <thread>

namespace kettle {
namespace {

int Niceness() { return getpriority(PRIO_PROCESS, static_cast<id_t>(gettid())); }

TEST(Thread, ItsNameAndNicenessGoToThoseThatItStarts) {
  const int own = Niceness();
  int inner = 0;
  char name[16] = {};
  std::thread([&] {
    NameThread("a name longer than fifteen", 2);
    std::thread([&] {
      inner = Niceness();
      pthread_getname_np(pthread_self(), name, sizeof name);
    }).join();
  }).join();
  EXPECT_EQ(inner, std::min(19, own + 2));
  EXPECT_STREQ(name, "a name longer t");
  EXPECT_EQ(Niceness(), own);
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
  int policy = -1;
  std::thread([&] {
    KeepThreadPunctual();
    std::thread([&] { policy = sched_getscheduler(0); }).join();
  }).join();
  EXPECT_EQ(policy, SCHED_OTHER);
  EXPECT_EQ(sched_getscheduler(0), SCHED_OTHER);
}

}  // namespace
}  // namespace kettle
