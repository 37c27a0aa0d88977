// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/search_space.h"

#include <algorithm>

#include "kettle/option/with_encoder.h"
#include "kettle/search/refinement.h"

namespace kettle {

namespace {

bool IsAmong(const auto& all, const auto& one) { return std::find(all.begin(), all.end(), one) != all.end(); }

}  // namespace

std::vector<int> SearchSpace::DevicesOf(const std::string& family) const {
  const auto known = devices.find(family);
  return known == devices.end() || known->second.empty() ? std::vector<int>{0} : known->second;
}

bool SearchSpace::Has(const EncodeSettings& settings) const {
  if (!IsAmong(families, settings.encoder) || !IsAmong(sizes, settings.size) || !IsAmong(rates, settings.frame_rate) ||
      !IsAmong(DevicesOf(settings.encoder), settings.device))
    return false;
  EncodeSettings asked = WithEncoder(target, settings.encoder, settings.preset);
  asked.device = settings.device;
  asked.size = settings.size;
  asked.frame_rate = settings.frame_rate;
  if (asked == settings) return true;
  const int b_frames = settings.b_frames.value_or(0);
  return refined && WithRefinement(settings, RefinementOf(asked)) == asked &&
         b_frames <= MostBFramesOf(settings.encoder).value_or(b_frames);
}

std::optional<int> SearchSpace::MostBFramesOf(const std::string& family) const {
  return without_b_frames.contains(family) ? std::optional(0) : most_b_frames;
}

}  // namespace kettle
