// SPDX-License-Identifier: Apache-2.0
#pragma once

#include <filesystem>
#include <fstream>

#include "kettle/rtmp/chunks.h"

namespace standin {

// Writes RTMP media messages as an FLV file (FLV specification 10.1, annex E). Playable as far as it was written.
class FlvFile {
 public:
  explicit FlvFile(const std::filesystem::path& path);
  void Write(const kettle::RtmpMessage& message);

 private:
  std::ofstream file_;
};

}  // namespace standin
