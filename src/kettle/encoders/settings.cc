// SPDX-License-Identifier: Apache-2.0
#include "kettle/encoders/settings.h"

#include <nlohmann/json.hpp>

#include "kettle/units/error.h"

namespace kettle {

const char* Name(RateControl rate_control) {
  return rate_control == RateControl::kConstantBitRate ? "constant bit rate" : "capped variable";
}

void to_json(nlohmann::json& json, const EncodeSettings& s) {
  json = {{"encoder", s.encoder},
          {"preset", s.preset},
          {"size", s.size},
          {"frame_rate", s.frame_rate},
          {"rate_control", Name(s.rate_control)},
          {"bit_rate_kbps", s.bit_rate.kbps()},
          {"maximum_bit_rate_kbps", s.maximum_bit_rate.kbps()},
          {"buffer_seconds", s.buffer_seconds},
          {"keyframe_seconds", s.keyframe_seconds}};
}

void from_json(const nlohmann::json& json, EncodeSettings& s) {
  json.at("encoder").get_to(s.encoder);
  json.at("preset").get_to(s.preset);
  json.at("size").get_to(s.size);
  json.at("frame_rate").get_to(s.frame_rate);
  s.rate_control = json.at("rate_control") == Name(RateControl::kConstantBitRate) ? RateControl::kConstantBitRate
                                                                                  : RateControl::kCappedVariable;
  s.bit_rate = BitRate::FromKbps(json.at("bit_rate_kbps").get<double>());
  s.maximum_bit_rate = BitRate::FromKbps(json.at("maximum_bit_rate_kbps").get<double>());
  json.at("buffer_seconds").get_to(s.buffer_seconds);
  json.at("keyframe_seconds").get_to(s.keyframe_seconds);
}

}  // namespace kettle
