// SPDX-License-Identifier: Apache-2.0
// What spoils a benchmark: slow clocks, heat, batteries, other programs, too little memory.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "kettle/machine/cpu_time.h"

namespace kettle {

// Counters at one moment.
struct ConditionSample {
  CpuTime cpu;
  std::int64_t throttle_events = 0;      // of all cores and packages since boot
  std::map<int, ProcessTime> processes;  // by id
};
ConditionSample SampleConditions(const std::filesystem::path& root = "/");

// The name of the process that replays a declared load: it counts as the game, and disturbs nothing.
inline constexpr const char* kLoadProcess = "game-load";

struct BusyProcess {
  std::string name;
  double cores = 0;
};

// Between two samples.
struct Conditions {
  std::vector<std::string> governors;  // in use, sorted; empty where the kernel shows none
  std::optional<bool> on_battery;      // not set: no such thing here
  std::int64_t throttle_events = 0;    // meanwhile
  double stolen_cores = 0;             // that the hypervisor took
  double other_cores = 0;              // that other programs took
  std::vector<BusyProcess> busy;       // programs that took a tenth of a core or more, most first
  std::int64_t memory_bytes = 0, available_memory_bytes = 0;
};

// What the processors' clocks hang on, in words: "on battery, powersave". Empty where the kernel shows neither.
std::string PowerWords(const std::filesystem::path& root = "/");

// `own` are names of processes that count as the program's own.
Conditions ReadConditions(const ConditionSample& before, const ConditionSample& after, double seconds,
                          const std::set<std::string>& own, const std::filesystem::path& root = "/");

void to_json(nlohmann::json& json, const Conditions& conditions);

}  // namespace kettle
