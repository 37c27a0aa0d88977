// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/thread.h"

#include <fcntl.h>
#include <pthread.h>
#include <sched.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cstdint>

namespace kettle {

namespace {

// As in linux/sched/types.h, which cannot be included beside sched.h.
struct SchedulingAttributes {
  std::uint32_t size = sizeof(SchedulingAttributes), policy = SCHED_OTHER;
  std::uint64_t flags = 0;
  std::int32_t nice = 0;
  std::uint32_t priority = 0;
  std::uint64_t runtime_ns = 0, deadline_ns = 0, period_ns = 0;
};

constexpr std::uint64_t kShortestTurnNs = 100'000;

}  // namespace

int NameThread(const std::string& name, int niceness) {
  if (!name.empty()) pthread_setname_np(pthread_self(), name.substr(0, 15).c_str());
  // Linux keeps a niceness for each thread. What cannot be had is no fault: then all are alike.
  const auto thread = static_cast<id_t>(gettid());
  const int before = getpriority(PRIO_PROCESS, thread);
  if (niceness != 0) setpriority(PRIO_PROCESS, thread, before + niceness);
  return getpriority(PRIO_PROCESS, thread) - before;
}

void SetSessionNiceness(int niceness) {
  if (getsid(0) != getpid()) return;  // others share it
  const std::string text = std::to_string(niceness);
  const int file = open("/proc/self/autogroup", O_WRONLY | O_CLOEXEC);
  if (file < 0) return;
  [[maybe_unused]] const ssize_t written = write(file, text.data(), text.size());
  close(file);
}

void KeepThreadOn(const std::vector<int>& processors) {
  if (processors.empty()) return;
  cpu_set_t set;
  CPU_ZERO(&set);
  for (const int processor : processors)
    if (processor >= 0 && processor < CPU_SETSIZE) CPU_SET(processor, &set);
  sched_setaffinity(0, sizeof set, &set);
}

void KeepThreadPunctual() {
  prctl(PR_SET_TIMERSLACK, 1000);  // nanoseconds
  const sched_param lowest{sched_get_priority_min(SCHED_RR)};
  if (sched_setscheduler(0, SCHED_RR | SCHED_RESET_ON_FORK, &lowest) == 0) return;
  SchedulingAttributes attributes;
  attributes.nice = getpriority(PRIO_PROCESS, 0);
  attributes.runtime_ns = kShortestTurnNs;
  syscall(SYS_sched_setattr, 0, &attributes, 0);
}

}  // namespace kettle
