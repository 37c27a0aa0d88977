// SPDX-License-Identifier: Apache-2.0
// The figure "strip": the worst second of an encode beside its source, picture by picture.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
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

// What the picture holds where, in pixels from its upper left corner, for whoever cuts it up: its title, its columns'
// words, and each cell.
struct StripLayout {
  static constexpr const char* kName = "worst-second";
  struct Cell {
    int column = 0, row = 0;
    int x = 0, y = 0, width = 0, height = 0;
    std::string note;  // below it
  };
  std::string title, subtitle;
  std::vector<std::vector<std::string>> columns;
  int width = 0, height = 0;  // of the whole picture
  std::vector<Cell> cells;
};
StripLayout LayOut(const StripOutcome& strip, const StripWords& words);
void to_json(nlohmann::json& json, const StripLayout& layout);
void from_json(const nlohmann::json& json, StripLayout& layout);

// worst-second.png: the strip's cells side by side. Throws Error(kMachine).
void DrawStrip(const std::filesystem::path& folder, const StripOutcome& strip, const StripWords& words);

}  // namespace kettle
