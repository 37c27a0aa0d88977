// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/reserved_space.h"

#include <fcntl.h>
#include <unistd.h>

#include <cmath>
#include <cstring>
#include <string>

#include "kettle/store/file.h"
#include "kettle/units/error.h"

namespace kettle {

ReservedSpace::ReservedSpace(const std::filesystem::path& folder, std::int64_t bytes) {
  const std::string name = UnfinishedName(folder / "room").string();
  file_ = open(name.c_str(), O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
  if (file_ < 0) FailMachine("cannot write in {} ({})", folder.string(), std::strerror(errno));
  unlink(name.c_str());
  if (const int error = posix_fallocate(file_, 0, bytes); error != 0) {
    Release();
    FailMachine("{}: no room for the results, which need {:.0f} MB ({})", folder.string(),
                std::ceil(static_cast<double>(bytes) / 1e6), std::strerror(error));
  }
}

void ReservedSpace::Release() {
  if (file_ >= 0) close(file_);
  file_ = -1;
}

}  // namespace kettle
