// SPDX-License-Identifier: Apache-2.0
// The coded pictures of a file, as they are: nothing is decoded.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace kettle {

struct CodedPicture {
  double decode_seconds = 0, show_seconds = 0;  // after the first one's decoding
  bool keyframe = false;
  std::string data;
};

struct CodedPictures {
  std::string codec;   // libavcodec's name
  std::string header;  // of the codec: for H.264 an AVCDecoderConfigurationRecord if the container has it
  int width = 0, height = 0;
  std::vector<CodedPicture> pictures;  // in coding order
};

// The first video stream of a file. Throws Error(kInput).
CodedPictures ReadCodedPictures(const std::filesystem::path& file);

}  // namespace kettle
