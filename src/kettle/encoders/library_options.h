// SPDX-License-Identifier: Apache-2.0
// Settings in the words of the encoder's own library, for whatever program somebody streams with.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "kettle/encoders/settings.h"

namespace kettle {

struct LibraryOptions {
  std::string library;  // whose names these are: "x264", "x265", "SVT-AV1", "libavcodec h264_nvenc"
  // In the order in which they are to be given: a preset sets others, so it comes first. Bit rates and buffers are
  // kbit/s and kbit for x264 and x265, kbit/s and ms for SVT-AV1, bit/s and bit for libavcodec, as these libraries
  // want.
  std::vector<std::pair<std::string, std::string>> options;
};

// All that makes this encode; what is not there is as the library has it. Size, frame rate and pixel format are the
// picture's and no options. Throws Error(kInput) as ConfigFor does.
LibraryOptions OptionsOfLibrary(const EncodeSettings& settings);

}  // namespace kettle
