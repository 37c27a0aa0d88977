// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/clock.h"

#include <time.h>

#include <cerrno>

namespace kettle {

std::int64_t SteadyClock::now_ns() const {
  timespec now;
  clock_gettime(CLOCK_MONOTONIC, &now);
  return now.tv_sec * 1'000'000'000 + now.tv_nsec;
}

void SteadyClock::SleepUntil(std::int64_t deadline_ns) {
  const timespec until{deadline_ns / 1'000'000'000, deadline_ns % 1'000'000'000};
  while (clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &until, nullptr) == EINTR) {
  }
}

double ThreadCpuSeconds() {
  timespec used{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &used);
  return static_cast<double>(used.tv_sec) + static_cast<double>(used.tv_nsec) * 1e-9;
}

}  // namespace kettle
