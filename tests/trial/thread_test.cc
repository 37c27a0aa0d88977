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
