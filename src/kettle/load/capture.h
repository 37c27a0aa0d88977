// SPDX-License-Identifier: Apache-2.0
// Watches what other programs take from the machine.
#pragma once

#include <atomic>
#include <filesystem>
#include <functional>
#include <vector>

#include "kettle/load/profile.h"
#include "kettle/units/clock.h"

namespace kettle {

// Since boot, in which a core had nothing to do, or was taken by a hypervisor. The kernel measures that time exactly
// (tick_nohz_active); what is busy it would only count by ticks.
struct CoreRest {
  bool there = false;  // false: a core that sleeps for good
  double seconds = 0;
};
std::vector<CoreRest> ReadCoreRest(const std::filesystem::path& root = "/");  // by number; empty without /proc/stat
int CountCores(const std::filesystem::path& root = "/");

// How fast memory can be copied now, in bytes a second: a few milliseconds of work.
double ProbeMemory();

// The same for copies of so many bytes, as of one frame, from memory that no cache holds.
double ProbeCopy(std::size_t bytes);

struct CaptureRequest {
  double seconds = 60;
  double interval_seconds = 0.2;
  double idle_memory = 0;                         // ProbeMemory of the idle machine; 0: not known
  std::vector<LoadProfile::Gpu> gpus = {};        // that `gpu` tells of
  std::function<std::vector<double>()> gpu = {};  // the use of each GPU since the last call; none: not watched
  std::filesystem::path root = "/";
};

// Until the time is over or *stop is set. `progress` gets 0..1. Throws Error(kMachine) if nothing can be read.
LoadProfile CaptureLoad(const CaptureRequest& request, Clock& clock, const std::atomic<bool>& stop,
                        const std::function<void(double)>& progress);

}  // namespace kettle
