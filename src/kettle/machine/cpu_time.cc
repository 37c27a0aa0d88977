// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/cpu_time.h"

#include <time.h>
#include <unistd.h>

#include <algorithm>
#include <fstream>
#include <sstream>

#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

double TicksToSeconds(double ticks) { return ticks / static_cast<double>(sysconf(_SC_CLK_TCK)); }

}  // namespace

CpuTime ReadCpuTime(const fs::path& root) {
  std::ifstream file(root / "proc/stat");
  std::string label;
  double user = 0, nice = 0, system = 0, idle = 0, iowait = 0, irq = 0, softirq = 0, steal = 0;
  file >> label >> user >> nice >> system >> idle >> iowait >> irq >> softirq >> steal;
  return {TicksToSeconds(user + nice + system + irq + softirq), TicksToSeconds(steal)};
}

namespace {

// Of the tasks that have a folder there, by proc(5).
std::map<int, ProcessTime> ReadTimes(const fs::path& folder) {
  std::map<int, ProcessTime> times;
  for (const fs::path& entry : Entries(folder)) {
    const std::string id = entry.filename().string();
    constexpr std::size_t kLongestId = 9;  // digits
    if (id.size() > kLongestId || id.find_first_not_of("0123456789") != id.npos) continue;
    const std::string line = FirstLine(entry / "stat").value_or("");
    const auto open = line.find('('), close = line.rfind(')');
    if (open == line.npos || close == line.npos) continue;
    // After the name: state, then fields 4 to 13 of proc(5), then utime and stime.
    std::istringstream fields(line.substr(close + 1));
    std::string skipped;
    for (int i = 3; i <= 13; ++i) fields >> skipped;
    double user = 0, system = 0;
    fields >> user >> system;
    times[std::stoi(id)] = {line.substr(open + 1, close - open - 1), TicksToSeconds(user + system)};
  }
  return times;
}

}  // namespace

std::map<int, ProcessTime> ReadProcessTimes(const fs::path& root) { return ReadTimes(root / "proc"); }

std::map<int, ProcessTime> ReadThreadTimes(const fs::path& root) { return ReadTimes(root / "proc/self/task"); }

std::map<int, double> ProcessCpuSeconds(const std::string& name, const fs::path& root) {
  std::map<int, double> seconds;
  for (const auto& [id, time] : ReadProcessTimes(root))
    if (time.name == name) seconds[id] = time.seconds;
  return seconds;
}

double UsedBetween(const std::map<int, double>& before, const std::map<int, double>& after) {
  double used = 0;
  for (const auto& [id, seconds] : after) {
    const auto earlier = before.find(id);
    used += earlier == before.end() ? seconds : std::max(0.0, seconds - earlier->second);
  }
  return used;
}

double OwnCpuSeconds() {
  timespec used{};
  clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &used);
  return static_cast<double>(used.tv_sec) + static_cast<double>(used.tv_nsec) * 1e-9;
}

}  // namespace kettle
