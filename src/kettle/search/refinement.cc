// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/refinement.h"

#include "kettle/encoders/catalogue.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

bool IsPossible(const EncodeSettings& settings) {
  try {
    ConfigFor(settings);
    return true;
  } catch (const Error&) {
    return false;
  }
}

}  // namespace

Refinement RefinementOf(const EncodeSettings& settings) {
  return {settings.b_frames, settings.look_ahead_frames, settings.multi_pass};
}

EncodeSettings WithRefinement(EncodeSettings settings, const Refinement& refinement) {
  settings.b_frames = refinement.b_frames;
  settings.look_ahead_frames = refinement.look_ahead_frames;
  settings.multi_pass = refinement.multi_pass;
  return settings;
}

std::vector<Refinement> NextRefinements(const Option& option, std::optional<int> most_b_frames) {
  const EncodeSettings& settings = option.settings;
  const auto& features = FindFamily(settings.encoder).features;
  const Refinement now = RefinementOf(settings);
  std::vector<Refinement> next;
  if (features.contains(Feature::kBFrames))
    for (const int count : {0, 2, 3})
      if (count != option.b_frames && count <= most_b_frames.value_or(count))
        next.push_back({count, now.look_ahead_frames, now.multi_pass});
  if (features.contains(Feature::kLookAhead))
    for (const int frames : {20, 40})
      if (frames > now.look_ahead_frames.value_or(0)) next.push_back({now.b_frames, frames, now.multi_pass});
  if (features.contains(Feature::kMultiPass) && !now.multi_pass)
    next.push_back({now.b_frames, now.look_ahead_frames, true});
  std::erase_if(next, [&](const Refinement& one) { return !IsPossible(WithRefinement(settings, one)); });
  return next;
}

}  // namespace kettle
