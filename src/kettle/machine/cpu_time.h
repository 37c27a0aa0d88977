// SPDX-License-Identifier: Apache-2.0
// Who used the processors: the whole machine, and processes by name.
#pragma once

#include <filesystem>
#include <map>
#include <string>

namespace kettle {

// Seconds of all processors together since boot.
struct CpuTime {
  double busy_seconds = 0, steal_seconds = 0;
};

// Zeros if /proc/stat is not there.
CpuTime ReadCpuTime(const std::filesystem::path& root = "/");

// User and system seconds of one process, and its command's name (15 characters at most).
struct ProcessTime {
  std::string name;
  double seconds = 0;
};

// Of all processes, by id.
std::map<int, ProcessTime> ReadProcessTimes(const std::filesystem::path& root = "/");

// Of this process's threads, by id.
std::map<int, ProcessTime> ReadThreadTimes(const std::filesystem::path& root = "/");

// Of this process alone.
double OwnCpuSeconds();

// Of those whose command's name is `name`, by id.
std::map<int, double> ProcessCpuSeconds(const std::string& name, const std::filesystem::path& root = "/");

// What those processes used between two readings; one that has ended meanwhile counts for nothing, one
// that has started counts whole.
double UsedBetween(const std::map<int, double>& before, const std::map<int, double>& after);

}  // namespace kettle
