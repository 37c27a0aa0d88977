// SPDX-License-Identifier: Apache-2.0
// What an encode is asked to do, in the trade's words and without any library's.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>

#include "kettle/units/units.h"

namespace kettle {

enum class RateControl {
  kConstantBitRate,  // the average is also the maximum
  kCappedVariable,   // an average, and a maximum it may reach in hard scenes
};

struct EncodeSettings {
  std::string encoder;  // a family's name in the catalogue
  std::string preset;
  FrameSize size;
  FrameRate frame_rate;
  RateControl rate_control = RateControl::kConstantBitRate;
  BitRate bit_rate;           // average
  BitRate maximum_bit_rate;   // equal to bit_rate for constant bit rate
  double buffer_seconds = 1;  // the decoder buffer holds this long at the maximum rate
  double keyframe_seconds = 2;

  bool operator==(const EncodeSettings&) const = default;
};

const char* Name(RateControl rate_control);  // "constant bit rate", "capped variable"

void to_json(nlohmann::json& json, const EncodeSettings& settings);
void from_json(const nlohmann::json& json, EncodeSettings& settings);

}  // namespace kettle
