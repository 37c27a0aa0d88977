// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/quiet.h"

#include <chrono>
#include <thread>
#include <vector>

#include "kettle/machine/cpu_time.h"

namespace kettle {

double StolenWhileBusy(int threads, double seconds) {
  using Time = std::chrono::steady_clock;
  const double before = ReadCpuTime().steal_seconds;
  const auto start = Time::now(),
             end = start + std::chrono::duration_cast<Time::duration>(std::chrono::duration<double>(seconds));
  {
    std::vector<std::jthread> busy;
    for (int i = 0; i < threads; ++i)
      busy.emplace_back([&] {
        while (Time::now() < end) {
        }
      });
  }
  const double taken = std::chrono::duration<double>(Time::now() - start).count();
  return (ReadCpuTime().steal_seconds - before) / taken;
}

bool AwaitQuiet(const std::function<double(double seconds)>& stolen_cores, double most_seconds) {
  constexpr double kLookSeconds = 1, kQuietBelow = 0.1;
  constexpr int kInARow = 4;
  int quiet = 0;
  for (double looked = 0; quiet < kInARow; looked += kLookSeconds) {
    if (looked + kLookSeconds > most_seconds) return false;
    quiet = stolen_cores(kLookSeconds) < kQuietBelow ? quiet + 1 : 0;
  }
  return true;
}

}  // namespace kettle
