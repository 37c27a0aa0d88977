// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/cgroup.h"

#include <fstream>
#include <functional>
#include <sstream>

#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

constexpr double kNoMemoryLimit = 1e18;  // version 1 says "none" with a number near the largest

template <typename T>
void Tighten(std::optional<T>& limit, T value) {
  if (!limit || value < *limit) limit = value;
}

void ReadGroup2(const fs::path& folder, CgroupLimits& limits) {
  if (const auto line = FirstLine(folder / "cpu.max")) {
    std::istringstream words(*line);
    double quota = 0, period = 0;
    if (words >> quota >> period && period > 0) Tighten(limits.cpu_cores, quota / period);
  }
  if (const auto bytes = FirstNumber(folder / "memory.max"))
    Tighten(limits.memory_bytes, static_cast<std::int64_t>(*bytes));
}

void ReadCpu1(const fs::path& folder, CgroupLimits& limits) {
  const auto quota = FirstNumber(folder / "cpu.cfs_quota_us"), period = FirstNumber(folder / "cpu.cfs_period_us");
  if (quota && period && *quota > 0 && *period > 0) Tighten(limits.cpu_cores, *quota / *period);
}

void ReadMemory1(const fs::path& folder, CgroupLimits& limits) {
  const auto bytes = FirstNumber(folder / "memory.limit_in_bytes");
  if (bytes && *bytes < kNoMemoryLimit) Tighten(limits.memory_bytes, static_cast<std::int64_t>(*bytes));
}

// The group itself and each of its parents up to the hierarchy's top.
void ForEachParent(const fs::path& top, fs::path group, const std::function<void(const fs::path&)>& read) {
  for (group = group.relative_path();; group = group.parent_path()) {
    read(top / group);
    if (group.empty()) return;
  }
}

}  // namespace

CgroupLimits ReadCgroupLimits(const fs::path& root) {
  CgroupLimits limits;
  const fs::path top = root / "sys/fs/cgroup";
  std::ifstream groups(root / "proc/self/cgroup");
  for (std::string line; std::getline(groups, line);) {  // "hierarchy:controllers:path"
    const auto first = line.find(':'), second = line.find(':', first + 1);
    if (first == line.npos || second == line.npos) continue;
    const std::string controllers = "," + line.substr(first + 1, second - first - 1) + ",";
    const fs::path group = line.substr(second + 1);
    if (controllers == ",,") ForEachParent(top, group, [&](const fs::path& f) { ReadGroup2(f, limits); });
    if (controllers.find(",cpu,") != controllers.npos)
      ForEachParent(top / "cpu", group, [&](const fs::path& f) { ReadCpu1(f, limits); });
    if (controllers.find(",memory,") != controllers.npos)
      ForEachParent(top / "memory", group, [&](const fs::path& f) { ReadMemory1(f, limits); });
  }
  return limits;
}

}  // namespace kettle
