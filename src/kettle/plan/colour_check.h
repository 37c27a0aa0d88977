// SPDX-License-Identifier: Apache-2.0
// Whether every stage says the same of the colours, what a mistake would cost, and what converting a capture costs.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/quality/colour_error.h"
#include "kettle/units/clock.h"
#include "kettle/units/units.h"

namespace kettle {

// What one stage says of its pictures, in libavutil's names: "yuv420p", "bt709", "tv"; "unknown" where it says nothing.
struct ColourStage {
  std::string stage;  // "source", "stream", "recording"
  std::string pixel_format, matrix, primaries, transfer, range;
  bool SaysTheSame(const ColourStage& other) const;
};

struct ColourCheck {
  std::vector<ColourStage> stages;
  // The stages that say something else than the source; empty if none does.
  std::vector<std::string> strays;
  // Of the first picture, as the straying stage says; with none, if a player took it for BT.601.
  ColourError error;
  double conversion_cores = 0;  // for turning captured R'G'B' pictures into the encoders' format, at size and rate
};

// `source` is the Y4M file that the encoders were given. Measures the conversion by the median of 12 pictures in this
// thread. Throws Error(kInput) if a file cannot be read.
ColourCheck CheckColour(const std::filesystem::path& source, const std::filesystem::path& stream,
                        const std::filesystem::path& recording, FrameRate rate, const Clock& clock);

void to_json(nlohmann::json& json, const ColourCheck& check);
void from_json(const nlohmann::json& json, ColourCheck& check);

}  // namespace kettle
