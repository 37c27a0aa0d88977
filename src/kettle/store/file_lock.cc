// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/file_lock.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

namespace kettle {

FileLock::FileLock(const std::filesystem::path& file, Kind kind) : fd_(open(file.c_str(), O_RDONLY | O_CLOEXEC)) {
  if (fd_ < 0 || flock(fd_, (kind == Kind::kShared ? LOCK_SH : LOCK_EX) | LOCK_NB) == 0) return;
  close(fd_);
  fd_ = -1;
}

FileLock::~FileLock() {
  if (fd_ >= 0) close(fd_);
}

}  // namespace kettle
