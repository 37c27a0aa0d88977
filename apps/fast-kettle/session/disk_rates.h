// SPDX-License-Identifier: Apache-2.0
// How fast the disks under folders take recordings.
#pragma once

#include <sys/types.h>

#include <filesystem>
#include <map>

#include "kettle/machine/disk.h"

namespace kettle::app {

class DiskRates {
 public:
  // The disk of `folder`, which may not exist yet: written for `seconds`, once for each file system. Throws Error as
  // kettle::MeasureWriteRate.
  WriteRate Measure(const std::filesystem::path& folder, double seconds);

 private:
  std::map<dev_t, WriteRate> known_;
};

}  // namespace kettle::app
