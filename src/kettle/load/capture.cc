// SPDX-License-Identifier: Apache-2.0
#include "kettle/load/capture.h"

#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <fstream>

#include "kettle/machine/conditions.h"
#include "kettle/units/error.h"
#include "kettle/units/statistics.h"

namespace kettle {

std::vector<CoreRest> ReadCoreRest(const std::filesystem::path& root) {
  std::ifstream file(root / "proc/stat");
  std::vector<CoreRest> cores;
  const auto ticks = static_cast<double>(sysconf(_SC_CLK_TCK));
  for (std::string line; std::getline(file, line);) {
    unsigned number = 0;
    double user = 0, nice = 0, system = 0, idle = 0, iowait = 0, irq = 0, softirq = 0, steal = 0;
    // "cpu0 ...": the line of all together has no number.
    if (line.size() < 4 || std::isdigit(static_cast<unsigned char>(line[3])) == 0 ||
        std::sscanf(line.c_str(), "cpu%u %lf %lf %lf %lf %lf %lf %lf %lf", &number, &user, &nice, &system, &idle,
                    &iowait, &irq, &softirq, &steal) != 9)
      continue;
    constexpr unsigned kMostCores = 1 << 16;  // as the kernel's own limit
    if (number >= kMostCores) continue;
    if (number >= cores.size()) cores.resize(number + 1);
    cores[number] = {true, (idle + iowait + steal) / ticks};
  }
  return cores;
}

int CountCores(const std::filesystem::path& root) { return static_cast<int>(ReadCoreRest(root).size()); }

double ProbeMemory() {
  constexpr std::size_t kBytes = 8 << 20;  // more than most second caches hold
  static std::vector<char> from(kBytes, 1), to(kBytes, 2);
  double quickest = 1;
  for (int i = 0; i < 3; ++i) {  // one may have had to wait for the processor
    const auto start = std::chrono::steady_clock::now();
    std::memcpy(to.data(), from.data(), kBytes);
    from[0] = to[kBytes / 2];  // what is copied is used
    quickest = std::min(quickest, std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
  }
  return static_cast<double>(kBytes) / std::max(1e-6, quickest);
}

double ProbeCopy(std::size_t bytes) {
  constexpr std::size_t kRing = 64 << 20;  // more than most last caches hold
  bytes = std::clamp<std::size_t>(bytes, 1, kRing / 4);
  std::vector<char> from(kRing, 1), to(kRing, 2);
  std::vector<double> seconds;
  for (std::size_t at = 0; at + bytes <= kRing; at += bytes) {
    const auto start = std::chrono::steady_clock::now();
    std::memcpy(to.data() + at, from.data() + at, bytes);
    seconds.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
  }
  return static_cast<double>(bytes) / std::max(1e-9, *Median(seconds));
}

LoadProfile CaptureLoad(const CaptureRequest& request, Clock& clock, const std::atomic<bool>& stop,
                        const std::function<void(double)>& progress) {
  LoadProfile profile;
  profile.interval_seconds = request.interval_seconds;
  profile.gpus = request.gpus;
  std::vector<CoreRest> before = ReadCoreRest(request.root);
  if (before.empty()) FailMachine("/proc/stat has no figures for the processors here");
  const ConditionSample start_sample = SampleConditions(request.root);
  std::vector<double> memory;
  const std::int64_t start_ns = clock.now_ns();
  std::int64_t last_ns = start_ns;
  const auto samples = static_cast<int>(std::lround(request.seconds / request.interval_seconds));
  for (int i = 1; i <= samples && !stop; ++i) {
    clock.SleepUntil(start_ns + std::llround(i * request.interval_seconds * 1e9));
    const std::int64_t now_ns = clock.now_ns();
    const std::vector<CoreRest> after = ReadCoreRest(request.root);
    const double seconds = std::max(1e-3, static_cast<double>(now_ns - last_ns) * 1e-9);
    std::vector<double> duty;
    // A core that goes to sleep for good, or wakes up, is none of those that the profile is of.
    for (std::size_t core = 0; core < before.size(); ++core) {
      const bool there = before[core].there && core < after.size() && after[core].there;
      duty.push_back(there ? std::clamp(1 - (after[core].seconds - before[core].seconds) / seconds, 0.0, 1.0) : 0);
    }
    profile.duty.push_back(std::move(duty));
    if (std::vector<double> gpu = request.gpu ? request.gpu() : std::vector<double>(); !gpu.empty())
      profile.gpu.push_back(std::move(gpu));
    if (i % 5 == 0 && request.idle_memory > 0) memory.push_back(ProbeMemory());
    for (std::size_t core = 0; core < before.size(); ++core)
      before[core] = core < after.size() ? after[core] : CoreRest{};
    last_ns = now_ns;
    progress(static_cast<double>(i) / samples);
  }
  const double seconds = static_cast<double>(last_ns - start_ns) * 1e-9;
  if (request.idle_memory > 0)
    profile.memory_share = std::clamp(1 - Median(memory).value_or(request.idle_memory) / request.idle_memory, 0.0, 1.0);
  const Conditions conditions =
      ReadConditions(start_sample, SampleConditions(request.root), seconds, {"kettle-engine"}, request.root);
  for (const BusyProcess& program : conditions.busy) profile.programs.push_back({program.name, program.cores});
  return profile;
}

}  // namespace kettle
