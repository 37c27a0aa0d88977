// SPDX-License-Identifier: Apache-2.0
// Room on a disk that is kept free for what is written last.
#pragma once

#include <cstdint>
#include <filesystem>

namespace kettle {

// Holds so many bytes of a folder's disk until it ends, in a file without a name: nothing is left of it even when the
// program is killed. Whoever fills the disk meanwhile finds these taken.
class ReservedSpace {
 public:
  // Throws Error(kMachine) with one line if the disk has not so much.
  ReservedSpace(const std::filesystem::path& folder, std::int64_t bytes);
  ~ReservedSpace() { Release(); }
  ReservedSpace(const ReservedSpace&) = delete;
  ReservedSpace& operator=(const ReservedSpace&) = delete;

  void Release();  // now it is needed
  int file() const { return file_; }

 private:
  int file_ = -1;
};

}  // namespace kettle
