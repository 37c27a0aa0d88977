// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/cpu_time.h"

#include <unistd.h>

#include <algorithm>
#include <fstream>
#include <sstream>

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

std::map<int, double> ProcessCpuSeconds(const std::string& name, const fs::path& root) {
  std::map<int, double> seconds;
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(root / "proc", error)) {
    const std::string id = entry.path().filename().string();
    if (id.find_first_not_of("0123456789") != id.npos) continue;
    std::string line;
    std::getline(std::ifstream(entry.path() / "stat") >> std::ws, line);
    const auto open = line.find('('), close = line.rfind(')');
    if (open == line.npos || close == line.npos || line.substr(open + 1, close - open - 1) != name) continue;
    // After the name: state, then fields 4 to 13 of proc(5), then utime and stime.
    std::istringstream fields(line.substr(close + 1));
    std::string skipped;
    for (int i = 3; i <= 13; ++i) fields >> skipped;
    double user = 0, system = 0;
    fields >> user >> system;
    seconds[std::stoi(id)] = TicksToSeconds(user + system);
  }
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

}  // namespace kettle
