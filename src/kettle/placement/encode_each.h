// SPDX-License-Identifier: Apache-2.0
// An encode of its own for each destination, or for those that are asked the same, in place of one for all.
#pragma once

#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/message/message.h"
#include "kettle/placement/placement.h"

namespace kettle {

// What was measured for some destinations and may be taken for them.
struct EachCandidates {
  std::vector<std::string> destinations;
  std::vector<Option> options;
};

// One option for each, such that the mean of what destinations get looks best of all that fits together; of those
// within half a point, what takes the fewest cores. Beside them `recording`; not set: the best looking stream's encode
// that `may_record` allows is recorded too. The best looking stream, or the recorded one, is the pair's, the others are
// its further ones. Nothing if nothing fits, or one has no options. Tries all combinations: at most a few thousand.
std::optional<Pair> PlaceEach(
    const std::vector<EachCandidates>& candidates, const std::optional<Option>& recording, const Capacity& capacity,
    const std::function<bool(const Option&)>& may_record = [](const Option&) { return true; });

// The mean score over destinations.
double MeanScore(const Pair& pair);

// What became of the question whether destinations get an encode each.
struct EncodeEach {
  std::optional<Option> one;  // that all would get; not set: none suits all
  Demand one_demand;          // of the pair with it
  std::optional<Pair> pair;   // with an encode for each; not set: none fits
  bool taken = false;
  Message why;  // it was taken, or not
};

void to_json(nlohmann::json& json, const EncodeEach& each);
void from_json(const nlohmann::json& json, EncodeEach& each);

}  // namespace kettle
