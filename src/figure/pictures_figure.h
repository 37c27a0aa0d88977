// SPDX-License-Identifier: Apache-2.0
// The figure "pictures": the sizes and frame rates that were tried for a stream, best first.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/search/picture_search.h"

namespace kettle {

struct PicturesChart {
  static constexpr const char* kName = "pictures";
  struct Row {
    std::string name;
    FrameRate rate;
    double score = 0;  // of 100
    bool chosen = false;
    bool busiest_only = false;  // the others were scored in the clips' calmest stretches too
  };
  std::string title, subtitle;
  std::vector<Row> rows;  // best first
};

// A row for each picture that keeps pace, with the choice marked; nothing for fewer than two.
std::optional<PicturesChart> MakePicturesChart(const std::vector<TriedPicture>& tried, const EncodeSettings& chosen);

// Writes `folder`/pictures.svg and .png. Throws Error(kMachine).
void Draw(const std::filesystem::path& folder, const PicturesChart& chart);

void to_json(nlohmann::json& json, const PicturesChart& chart);
void from_json(const nlohmann::json& json, PicturesChart& chart);

}  // namespace kettle
