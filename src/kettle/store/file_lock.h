// SPDX-License-Identifier: Apache-2.0
// A lock on a file that several runs share (flock(2)); gone with its holder, also a killed one.
#pragma once

#include <filesystem>

namespace kettle {

class FileLock {
 public:
  enum class Kind { kShared, kExclusive };
  // Never waits and never makes the file. A shared lock is refused while somebody holds an exclusive one, an exclusive
  // one while anybody holds any.
  FileLock(const std::filesystem::path& file, Kind kind);
  ~FileLock();
  FileLock(const FileLock&) = delete;
  FileLock& operator=(const FileLock&) = delete;

  bool held() const { return fd_ >= 0; }

 private:
  int fd_ = -1;
};

}  // namespace kettle
