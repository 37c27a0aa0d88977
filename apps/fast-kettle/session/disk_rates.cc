// SPDX-License-Identifier: Apache-2.0
#include "session/disk_rates.h"

#include <sys/stat.h>

#include <cerrno>
#include <cstring>

#include "kettle/units/clock.h"
#include "kettle/units/error.h"
#include "process/interrupt.h"

namespace kettle::app {

namespace fs = std::filesystem;

WriteRate DiskRates::Measure(const fs::path& folder, double seconds) {
  fs::path existing = fs::absolute(folder);
  std::error_code error;
  while (existing.has_relative_path() && !fs::is_directory(existing, error)) existing = existing.parent_path();
  struct stat status {};
  if (stat(existing.c_str(), &status) != 0) FailMachine("{}: {}", existing.string(), std::strerror(errno));
  const auto known = known_.find(status.st_dev);
  if (known != known_.end()) return known->second;
  return known_[status.st_dev] = MeasureWriteRate(existing, {seconds}, SteadyClock(), &StopRequested());
}

}  // namespace kettle::app
