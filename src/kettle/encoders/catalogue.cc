// SPDX-License-Identifier: Apache-2.0
#include "kettle/encoders/catalogue.h"

#include <iterator>

#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"

namespace kettle {

const std::vector<EncoderFamily>& Catalogue() {
  static const std::vector<EncoderFamily> families = [] {
    std::vector<EncoderFamily> all = ProcessorFamilies();
    for (auto&& more : {NvencFamilies(), VaapiFamilies(), QsvFamilies()})
      std::copy(more.begin(), more.end(), std::back_inserter(all));
    return all;
  }();
  return families;
}

const EncoderFamily& DiscardingEncoder() {
  static const EncoderFamily family = {.name = "discard",
                                       .title = "no encoding: what measuring itself costs",
                                       .library_name = "wrapped_avframe",
                                       .codec = "none",
                                       .presets = {"none"},
                                       .options = {},
                                       .rates = {},
                                       .features = {},
                                       .profiles = {},
                                       .reasons = {}};
  return family;
}

const EncoderFamily& FindFamily(const std::string& name) {
  for (const EncoderFamily& family : Catalogue())
    if (family.name == name) return family;
  if (name == DiscardingEncoder().name) return DiscardingEncoder();
  std::vector<std::string> names;
  for (const EncoderFamily& family : Catalogue()) names.push_back(family.name);
  FailInput("there is no encoder \"{}\"{}", name, Suggestion(name, names));
}

std::string CodecTitle(const std::string& codec) {
  static const std::map<std::string, std::string> titles = {
      {"h264", "H.264"}, {"hevc", "HEVC"}, {"av1", "AV1"}, {"vp9", "VP9"}};
  const auto found = titles.find(codec);
  return found == titles.end() ? codec : found->second;
}

const char* Name(DeviceKind kind) { return kind == DeviceKind::kCpu ? "cpu" : "gpu"; }

const char* Name(Feature feature) {
  switch (feature) {
    case Feature::kBFrames: return "B-frames";
    case Feature::kLookAhead: return "look-ahead";
    case Feature::kAdaptiveQuantisation: return "adaptive quantisation";
    case Feature::kPsychovisual: return "psychovisual";
    case Feature::kMultiPass: return "multi-pass";
  }
  return "";
}

std::string Reason(const EncoderFamily& family, const std::string& library_words) {
  for (const auto& [words, reason] : family.reasons)
    if (library_words.find(words) != std::string::npos) return reason;
  return library_words;
}

}  // namespace kettle
