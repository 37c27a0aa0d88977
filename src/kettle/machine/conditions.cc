// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/conditions.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "kettle/units/json_fields.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

constexpr double kBusyCores = 0.1;

bool IsProcessorFolder(const fs::path& path) {
  const std::string name = path.filename().string();
  return name.size() > 3 && name.starts_with("cpu") && name.find_first_not_of("0123456789", 3) == name.npos;
}

// Core counters add up; a package's counter is shown by each of its processors, so only the largest of each package
// would count once. The sum is only ever compared with itself.
std::int64_t ThrottleEvents(const fs::path& root) {
  double events = 0;
  for (const fs::path& cpu : Entries(root / "sys/devices/system/cpu"))
    if (IsProcessorFolder(cpu))
      for (const char* counter : {"core_throttle_count", "package_throttle_count"})
        events += FirstNumber(cpu / "thermal_throttle" / counter).value_or(0);
  return static_cast<std::int64_t>(events);
}

std::vector<std::string> Governors(const fs::path& root) {
  std::set<std::string> governors;
  for (const fs::path& cpu : Entries(root / "sys/devices/system/cpu"))
    if (const auto governor = FirstLine(cpu / "cpufreq/scaling_governor"); governor && IsProcessorFolder(cpu))
      governors.insert(*governor);
  return {governors.begin(), governors.end()};
}

std::optional<bool> OnBattery(const fs::path& root) {
  std::optional<bool> mains, discharging;
  for (const fs::path& supply : Entries(root / "sys/class/power_supply")) {
    const std::string type = FirstLine(supply / "type").value_or("");
    if (type == "Mains") mains = mains.value_or(false) || FirstNumber(supply / "online").value_or(0) > 0;
    if (type == "Battery")
      discharging =
          discharging.value_or(false) || FirstLine(supply / "status") == std::optional<std::string>("Discharging");
  }
  if (!discharging) return std::nullopt;  // no battery: nothing to run down
  return *discharging && !mains.value_or(false);
}

std::int64_t MemoryField(const fs::path& root, const char* key) {
  const std::string text = FieldOf(root / "proc/meminfo", key);
  return text.empty() ? 0 : std::atoll(text.c_str()) * 1024;
}

}  // namespace

std::string PowerWords(const fs::path& root) {
  std::string words;
  if (const auto battery = OnBattery(root)) words = *battery ? "on battery" : "on mains";
  for (const std::string& governor : Governors(root)) words += (words.empty() ? "" : ", ") + governor;
  return words;
}

ConditionSample SampleConditions(const fs::path& root) {
  return {ReadCpuTime(root), ThrottleEvents(root), ReadProcessTimes(root)};
}

Conditions ReadConditions(const ConditionSample& before, const ConditionSample& after, double seconds,
                          const std::set<std::string>& own, const fs::path& root) {
  Conditions conditions;
  seconds = std::max(1e-3, seconds);
  conditions.governors = Governors(root);
  conditions.on_battery = OnBattery(root);
  conditions.throttle_events = after.throttle_events - before.throttle_events;
  conditions.stolen_cores = std::max(0.0, after.cpu.steal_seconds - before.cpu.steal_seconds) / seconds;
  std::map<std::string, double> used;
  for (const auto& [id, time] : after.processes) {
    const auto earlier = before.processes.find(id);
    const double since = earlier != before.processes.end() ? earlier->second.seconds : 0;
    if (!own.contains(time.name)) used[time.name] += std::max(0.0, time.seconds - since) / seconds;
  }
  for (const auto& [name, cores] : used) {
    conditions.other_cores += cores;
    if (cores >= kBusyCores) conditions.busy.push_back({name, cores});
  }
  std::sort(conditions.busy.begin(), conditions.busy.end(),
            [](const BusyProcess& a, const BusyProcess& b) { return a.cores > b.cores; });
  conditions.memory_bytes = MemoryField(root, "MemTotal");
  conditions.available_memory_bytes = MemoryField(root, "MemAvailable");
  return conditions;
}

void to_json(nlohmann::json& json, const Conditions& c) {
  nlohmann::json busy = nlohmann::json::array();
  for (const BusyProcess& process : c.busy) busy.push_back({{"name", process.name}, {"cores", process.cores}});
  KETTLE_WRITE_FIELDS(json, c, governors, throttle_events, stolen_cores, other_cores, memory_bytes,
                      available_memory_bytes);
  json.update({{"busy_programs", busy}});
  if (c.on_battery) json["on_battery"] = *c.on_battery;
}

}  // namespace kettle
