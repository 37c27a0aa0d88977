// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/encode_each.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace kettle {

namespace {

EncodeSettings AtRate(EncodeSettings settings, double kbps) {
  const double factor = kbps / settings.bit_rate.kbps();
  settings.bit_rate = BitRate::FromKbps(kbps);
  settings.maximum_bit_rate = BitRate::FromKbps(std::round(settings.maximum_bit_rate.kbps() * factor));
  return settings;
}

}  // namespace

std::optional<EncodeEach> WeighEncodeEach(const Pair& chosen, const std::optional<Budget>& budget,
                                          const Footage& footage, const Capacity& capacity, TrialBook& book) {
  if (!budget || budget->each.size() < 2) return std::nullopt;
  // The send-queue model may have taken less than the budget gives: the same share of it for each.
  const double taken = chosen.stream.settings.bit_rate.kbps() / budget->one_encode_kbps();
  EncodeEach each;
  std::vector<Option> all;
  bool differs = false;
  for (const RecipientShare& share : budget->each) {
    const double kbps = std::floor(share.video_kbps * std::min(1.0, taken));
    if (kbps < kLeastVideoKbps) return std::nullopt;
    const bool same = std::abs(kbps / chosen.stream.settings.bit_rate.kbps() - 1) < 0.02;
    differs = differs || !same;
    each.encodes.push_back(
        {share.name,
         same ? chosen.stream : MakeOption({book.Get(AtRate(chosen.stream.settings, kbps), footage)}, false)});
    all.push_back(each.encodes.back().option);
    if (!all.back().trouble.empty()) return std::nullopt;
  }
  if (!differs) return std::nullopt;
  if (!chosen.one_encode) all.push_back(chosen.recording);
  each.demand = PredictDemand(all, capacity);
  each.one_demand = chosen.demand;
  return each;
}

void to_json(nlohmann::json& json, const EncodeEach& each) {
  json = {{"cpu_cores", each.demand.cpu_cores},
          {"more_cores", each.more_cores()},
          {"demand", each.demand},
          {"one_demand", each.one_demand},
          {"encodes", nlohmann::json::array()}};
  for (const EncodeEach::Encode& encode : each.encodes)
    json["encodes"].push_back({{"destination", encode.destination},
                               {"bit_rate_kbps", encode.option.settings.bit_rate.kbps()},
                               {"option", encode.option}});
}

void from_json(const nlohmann::json& json, EncodeEach& each) {
  json.at("demand").get_to(each.demand);
  json.at("one_demand").get_to(each.one_demand);
  for (const auto& encode : json.at("encodes")) each.encodes.push_back({encode.at("destination"), encode.at("option")});
}

}  // namespace kettle
