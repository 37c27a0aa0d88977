// SPDX-License-Identifier: Apache-2.0
// The figure "strip": the worst second of an encode beside its source, picture by picture.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "kettle/task/strip.h"

namespace kettle {

struct StripWords {
  std::string title, subtitle;
  std::vector<std::vector<std::string>> columns;  // lines above the source and each encode
  FrameRate rate;                                 // of the source
  FrameSize viewing_size;
};

// worst-second.png: the strip's cells side by side. Throws Error(kMachine).
void DrawStrip(const std::filesystem::path& folder, const StripOutcome& strip, const StripWords& words);

}  // namespace kettle
