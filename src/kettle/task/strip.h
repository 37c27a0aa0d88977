// SPDX-License-Identifier: Apache-2.0
// Pictures for people to look at: the worst second of an encode, beside the source and another encode.
#pragma once

#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/units/units.h"

namespace kettle {

struct StripTask {
  std::string reference;             // Y4M file
  std::vector<std::string> encoded;  // files, the first of them is the one whose worst moments are shown
  std::vector<FrameRate> encoded_rates;
  FrameSize viewing_size;
  int first_frame = 0, frames = 0;  // of the reference: the second to look at
  std::string folder;               // for the cells
};

// 8-bit RGB, row by row from the top, without a header.
struct StripCell {
  std::string file;
  FrameSize size;
  double psnr_y_db = 0;  // of the whole picture against the source; 0 for the source itself
};

// The source and each encode, in this order.
struct StripRow {
  int frame = 0;  // of the reference
  bool enlarged = false;
  std::vector<StripCell> cells;
};

struct StripOutcome {
  FrameSize crop;  // its size at the viewing size, before it is enlarged
  int crop_left = 0, crop_top = 0;
  std::vector<StripRow> rows;  // the worst moment whole, then its crop and that of another moment
};

// The crop is where the first two encodes differ most at the worst moment of the first one. Throws Error.
StripOutcome RunStrip(const StripTask& task, const std::function<void(double)>& progress);

void to_json(nlohmann::json& json, const StripTask& task);
void from_json(const nlohmann::json& json, StripTask& task);
void to_json(nlohmann::json& json, const StripOutcome& outcome);
void from_json(const nlohmann::json& json, StripOutcome& outcome);

}  // namespace kettle
