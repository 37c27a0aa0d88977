// SPDX-License-Identifier: Apache-2.0
#include "kettle/encoders/settings.h"

#include <algorithm>
#include <array>
#include <nlohmann/json.hpp>

#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace {

constexpr std::array kRateControls = {RateControl::kConstantBitRate, RateControl::kCappedVariable,
                                      RateControl::kConstantQuality, RateControl::kCappedQuality};

template <typename T>
void PutIfSet(nlohmann::json& json, const char* key, const std::optional<T>& value) {
  if (value) json[key] = *value;
}

template <typename T>
void GetIfThere(const nlohmann::json& json, const char* key, std::optional<T>& value) {
  if (json.contains(key)) value = json.at(key).get<T>();
}

}  // namespace

const char* Name(RateControl rate_control) {
  switch (rate_control) {
    case RateControl::kConstantBitRate: return "constant bit rate";
    case RateControl::kCappedVariable: return "capped variable";
    case RateControl::kConstantQuality: return "constant quality";
    case RateControl::kCappedQuality: return "capped quality";
  }
  return "";
}

const char* Name(Chroma chroma) { return chroma == Chroma::k420 ? "4:2:0" : "4:4:4"; }

RateControl ParseRateControl(const std::string& text) {
  std::string spaced = text;
  std::replace(spaced.begin(), spaced.end(), '-', ' ');
  std::vector<std::string> names;
  for (const RateControl rate_control : kRateControls) {
    names.emplace_back(Name(rate_control));
    if (spaced == names.back()) return rate_control;
  }
  FailInput("there is no rate control \"{}\"{}", text, Suggestion(spaced, names));
}

Chroma ParseChroma(const std::string& text) {
  for (const Chroma chroma : {Chroma::k420, Chroma::k444})
    if (text == Name(chroma)) return chroma;
  FailInput("there is no chroma format \"{}\"; known are 4:2:0, 4:4:4", text);
}

bool IsQuality(RateControl rate_control) {
  return rate_control == RateControl::kConstantQuality || rate_control == RateControl::kCappedQuality;
}

std::string Extras(const EncodeSettings& s) {
  std::vector<std::string> words;
  if (s.b_frames) words.push_back(*s.b_frames == 0 ? "no B-frames" : fmt::format("{} B-frames", *s.b_frames));
  if (s.look_ahead_frames)
    words.push_back(*s.look_ahead_frames == 0 ? "no look-ahead" : fmt::format("look-ahead {}", *s.look_ahead_frames));
  if (s.adaptive_quantisation) words.emplace_back(*s.adaptive_quantisation ? "AQ" : "no AQ");
  if (s.psychovisual) words.emplace_back(*s.psychovisual ? "psychovisual" : "no psychovisual");
  if (s.multi_pass) words.emplace_back(*s.multi_pass ? "multi-pass" : "one pass");
  if (!s.profile.empty()) words.push_back("profile " + s.profile);
  if (s.bit_depth != 8) words.push_back(fmt::format("{} bit", s.bit_depth));
  if (s.scaler != ScaleFilter::kBicubic) words.push_back(std::string(Name(s.scaler)) + " scaler");
  if (s.chroma != Chroma::k420) words.emplace_back(Name(s.chroma));
  if (s.quality_level) words.push_back(fmt::format("level {}", *s.quality_level));
  return fmt::format("{}", fmt::join(words, ", "));
}

void to_json(nlohmann::json& json, const EncodeSettings& s) {
  json = {{"encoder", s.encoder},
          {"preset", s.preset},
          {"device_index", s.device},
          {"size", s.size},
          {"frame_rate", s.frame_rate},
          {"rate_control", Name(s.rate_control)},
          {"bit_rate_kbps", s.bit_rate.kbps()},
          {"maximum_bit_rate_kbps", s.maximum_bit_rate.kbps()},
          {"buffer_seconds", s.buffer_seconds},
          {"keyframe_seconds", s.keyframe_seconds},
          {"scaler", Name(s.scaler)},
          {"bit_depth", s.bit_depth},
          {"chroma", Name(s.chroma)}};
  PutIfSet(json, "quality_level", s.quality_level);
  PutIfSet(json, "b_frames", s.b_frames);
  PutIfSet(json, "look_ahead_frames", s.look_ahead_frames);
  PutIfSet(json, "adaptive_quantisation", s.adaptive_quantisation);
  PutIfSet(json, "psychovisual", s.psychovisual);
  PutIfSet(json, "multi_pass", s.multi_pass);
  if (!s.profile.empty()) json["profile"] = s.profile;
}

void from_json(const nlohmann::json& json, EncodeSettings& s) {
  json.at("encoder").get_to(s.encoder);
  json.at("preset").get_to(s.preset);
  json.at("device_index").get_to(s.device);
  json.at("size").get_to(s.size);
  json.at("frame_rate").get_to(s.frame_rate);
  s.rate_control = ParseRateControl(json.at("rate_control"));
  s.bit_rate = BitRate::FromKbps(json.at("bit_rate_kbps").get<double>());
  s.maximum_bit_rate = BitRate::FromKbps(json.at("maximum_bit_rate_kbps").get<double>());
  json.at("buffer_seconds").get_to(s.buffer_seconds);
  json.at("keyframe_seconds").get_to(s.keyframe_seconds);
  s.scaler = ParseScaleFilter(json.at("scaler"));
  json.at("bit_depth").get_to(s.bit_depth);
  s.chroma = ParseChroma(json.at("chroma"));
  GetIfThere(json, "quality_level", s.quality_level);
  GetIfThere(json, "b_frames", s.b_frames);
  GetIfThere(json, "look_ahead_frames", s.look_ahead_frames);
  GetIfThere(json, "adaptive_quantisation", s.adaptive_quantisation);
  GetIfThere(json, "psychovisual", s.psychovisual);
  GetIfThere(json, "multi_pass", s.multi_pass);
  s.profile = json.value("profile", "");
}

}  // namespace kettle
