// SPDX-License-Identifier: Apache-2.0
// What an encode is asked to do, in the trade's words and without any library's.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/media/scaler.h"
#include "kettle/units/units.h"

namespace kettle {

enum class RateControl {
  kConstantBitRate,  // the average is also the maximum
  kCappedVariable,   // an average, and a maximum it may reach in hard scenes
  kConstantQuality,  // a quality level, whatever that takes
  kCappedQuality,    // a quality level, but never more than a maximum
};

enum class Chroma { k420, k444 };

struct EncodeSettings {
  std::string encoder;  // a family's name in the catalogue
  std::string preset;
  int device = 0;  // which of the GPUs that the family's driver finds; 0 for the CPU
  FrameSize size;
  FrameRate frame_rate;
  RateControl rate_control = RateControl::kConstantBitRate;
  BitRate bit_rate;                  // average; zero where a quality level rules
  BitRate maximum_bit_rate;          // equal to bit_rate for constant bit rate; zero for constant quality
  double buffer_seconds = 1;         // the decoder buffer holds this long at the maximum rate
  std::optional<int> quality_level;  // on the family's own scale; not set: the family's usual one
  double keyframe_seconds = 2;
  ScaleFilter scaler = ScaleFilter::kBicubic;  // from the source's size, where the encode's is another

  // Not set: what the preset brings.
  std::optional<int> b_frames;           // at most this many in a row
  std::optional<int> look_ahead_frames;  // 0: none
  std::optional<bool> adaptive_quantisation, psychovisual, multi_pass;
  std::string profile;  // empty: the usual one for the bit depth and chroma
  int bit_depth = 8;    // 8 or 10
  Chroma chroma = Chroma::k420;

  bool operator==(const EncodeSettings&) const = default;
};

const char* Name(RateControl rate_control);  // "constant bit rate", "capped variable", "constant quality", ...
const char* Name(Chroma chroma);             // "4:2:0", "4:4:4"

// The names above, and with dashes for spaces. Throw Error(kInput) with the known ones.
RateControl ParseRateControl(const std::string& text);
Chroma ParseChroma(const std::string& text);

// True where a quality level rules the rate.
bool IsQuality(RateControl rate_control);

// What is asked beyond encoder, preset, size, frame rate and rates: "3 B-frames, no look-ahead"; "" if nothing is.
std::string Extras(const EncodeSettings& settings);

void to_json(nlohmann::json& json, const EncodeSettings& settings);
void from_json(const nlohmann::json& json, EncodeSettings& settings);

}  // namespace kettle
