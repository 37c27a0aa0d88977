// SPDX-License-Identifier: Apache-2.0
// Who used the processors: the whole machine, and processes by name.
#pragma once

#include <filesystem>
#include <string>

namespace kettle {

// Seconds of all processors together since boot.
struct CpuTime {
  double busy_seconds = 0, steal_seconds = 0;
};

// Zeros if /proc/stat is not there.
CpuTime ReadCpuTime(const std::filesystem::path& root = "/");

// User and system seconds of all running processes whose command name is `name` (15 characters at
// most); 0 if there are none.
double ProcessCpuSeconds(const std::string& name, const std::filesystem::path& root = "/");

}  // namespace kettle
