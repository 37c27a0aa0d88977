// SPDX-License-Identifier: Apache-2.0
#include "report/card_json.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "kettle/encoders/catalogue.h"
#include "kettle/encoders/library_options.h"
#include "report/looks.h"

namespace kettle {

namespace {

using nlohmann::json;

json EncodeJson(const Option& option) {
  const EncodeSettings& s = option.settings;
  const EncoderFamily& family = FindFamily(s.encoder);
  const LibraryOptions library = OptionsOfLibrary(s);
  json options = json::array();
  for (const auto& [name, value] : library.options) options.push_back(name + "=" + value);
  json encode = {{"encoder", s.encoder},
                 {"codec", family.codec},
                 {"device", option.device},
                 {"simulated", option.simulated},
                 {"preset", s.preset},
                 {"size", s.size.str()},
                 {"frame_rate", s.frame_rate.str()},
                 {"rate_control", Name(s.rate_control)},
                 {"keyframe_interval_seconds", s.keyframe_seconds},
                 {"mean_kbps", std::round(option.mean_kbps)},
                 {"library", library.library},
                 {"options", options}};
  if (const std::string card = option.card_name(); !card.empty()) encode["graphics_card"] = card;
  if (!option.bus_address.empty()) encode["bus_address"] = option.bus_address;
  if (IsQuality(s.rate_control))
    encode["quality_level"] = s.quality_level.value_or(family.quality.usual);
  else
    encode["bit_rate_kbps"] = s.bit_rate.kbps();
  if (s.maximum_bit_rate.bits_per_second > 0) {
    encode["maximum_bit_rate_kbps"] = s.maximum_bit_rate.kbps();
    encode["buffer_kbit"] = std::round(s.maximum_bit_rate.kbps() * s.buffer_seconds);
  }
  if (option.scored())
    encode["score"] = {{"points", std::round(option.score * 10) / 10}, {"text", Looks(option.score)}};
  return encode;
}

json StreamJson(const Option& option, const std::vector<std::string>& destinations) {
  json stream = EncodeJson(option);
  stream["container"] = "flv";
  if (!destinations.empty()) stream["destinations"] = destinations;
  return stream;
}

}  // namespace

json CardJson(const Plan& plan) {
  json card = {{"title", plan.title},         {"verdict", Name(plan.verdict())},
               {"simulated", plan.simulated}, {"audio_kbps", plan.targets.audio.kbps()},
               {"streams", json::array()},    {"recording", nullptr}};
  if (!plan.chosen) return card;
  const Pair& pair = *plan.chosen;
  card["streams"].push_back(StreamJson(pair.stream, pair.destinations));
  for (const FurtherStream& further : pair.further)
    card["streams"].push_back(StreamJson(further.option, further.destinations));
  if (plan.container != "none") {
    card["recording"] = EncodeJson(pair.one_encode ? pair.stream : pair.recording);
    card["recording"]["container"] = plan.container;
    card["recording"]["is_the_streams_encode"] = pair.one_encode;
  }
  if (!plan.proving.attempts.empty()) {
    const Proof& proof = plan.proving.attempts.back().proof;
    const auto [frames, skipped] = proof.Total(pair.one_encode);
    card["proof"] = {{"seconds", proof.seconds}, {"frames", frames}, {"skipped", skipped}};
  }
  return card;
}

}  // namespace kettle
