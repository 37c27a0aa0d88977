// SPDX-License-Identifier: Apache-2.0
// Processors: how many of which kind, and how many of them this program may use.
#pragma once

#include <cstdint>
#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

namespace kettle {

// Caches of one level and kind that are alike.
struct CacheGroup {
  int level = 1;
  std::string kind;  // "data", "instruction", "unified"
  int count = 0;
  std::int64_t bytes = 0;  // of each
};

struct Processor {
  std::string model;
  int packages = 0, cores = 0, threads = 0;         // of the whole machine
  int performance_cores = 0, efficiency_cores = 0;  // both 0 if all cores are alike
  std::vector<CacheGroup> caches;                   // innermost first
  int usable_threads = 0;                           // that affinity mask and cgroup leave to this process
  std::vector<int> usable;                          // their numbers, those of one core side by side
  std::optional<double> quota_cores;                // processor time that the cgroup grants, if it limits that

  bool has_smt() const { return threads > cores; }
  // Processors that may be busy at once with this program's work; at least a fraction of one.
  double capacity() const;
};

// Reads the topology through hwloc, and the limits of the process that /proc/self under `root` describes. Never throws
// for something that is not there: it is then empty or 0. Not thread-safe for a root other than "/".
Processor ReadProcessor(const std::filesystem::path& root = "/");

void to_json(nlohmann::json& json, const Processor& processor);

}  // namespace kettle
