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

// Busy seconds of each core since boot, without what a hypervisor took; empty if /proc/stat is not there.
std::vector<double> ReadCoreSeconds(const std::filesystem::path& root = "/");

// How fast memory can be copied now, in bytes a second: a few milliseconds of work.
double ProbeMemory();

struct CaptureRequest {
  double seconds = 60;
  double interval_seconds = 0.2;
  double idle_memory = 0;  // ProbeMemory of the idle machine; 0: not known
  std::filesystem::path root = "/";
};

// Until the time is over or *stop is set. `progress` gets 0..1. Throws Error(kMachine) if nothing can be read.
LoadProfile CaptureLoad(const CaptureRequest& request, Clock& clock, const std::atomic<bool>& stop,
                        const std::function<void(double)>& progress);

}  // namespace kettle
