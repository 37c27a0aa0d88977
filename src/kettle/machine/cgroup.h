// SPDX-License-Identifier: Apache-2.0
// Limits that a control group sets to this process (Linux cgroups, v1 and v2).
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>

namespace kettle {

// What the control groups of the process that /proc/self under `root` describes grant it; the tightest of the group and
// its parents. Not set: no limit. Reads versions 1 and 2 of the interface (kernel documentation, cgroup-v2 and
// scheduler/sched-bwc).
struct CgroupLimits {
  std::optional<double> cpu_cores;  // processor time for each unit of time
  std::optional<std::int64_t> memory_bytes;
};
CgroupLimits ReadCgroupLimits(const std::filesystem::path& root = "/");

}  // namespace kettle
