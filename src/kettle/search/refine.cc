// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/refine.h"

#include "kettle/encoders/catalogue.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr double kWorthRefining = 0.25;  // points

bool Possible(const EncodeSettings& settings) {
  try {
    ConfigFor(settings);
    return true;
  } catch (const Error&) {
    return false;
  }
}

// One setting changed at a time.
std::vector<EncodeSettings> Variants(const EncodeSettings& base, Feature feature) {
  std::vector<EncodeSettings> variants;
  const auto add = [&](auto EncodeSettings::*field, auto value) {
    EncodeSettings settings = base;
    settings.*field = value;
    if (settings != base && Possible(settings)) variants.push_back(settings);
  };
  switch (feature) {
    case Feature::kBFrames:
      for (const int count : {0, 2, 3}) add(&EncodeSettings::b_frames, count);
      break;
    case Feature::kLookAhead:
      for (const int frames : {0, 20, 40}) add(&EncodeSettings::look_ahead_frames, frames);
      break;
    case Feature::kMultiPass: add(&EncodeSettings::multi_pass, true); break;
    case Feature::kAdaptiveQuantisation:
    case Feature::kPsychovisual: break;
  }
  return variants;
}

}  // namespace

Pair RefineStream(const Pair& pair, const Capacity& capacity, OptionBook& book, std::optional<int> most_b_frames) {
  Pair best = pair;
  const EncoderFamily& family = FindFamily(pair.stream.settings.encoder);
  for (const auto& [feature, mapping] : family.features)
    for (const EncodeSettings& settings : Variants(best.stream.settings, feature)) {
      if (most_b_frames && settings.b_frames.value_or(0) > *most_b_frames) continue;
      Pair changed = best;
      changed.stream = book.Measure(settings, best.stream.score + kWorthRefining);
      if (!changed.stream.measured || !changed.stream.keeps_pace(book.required_headroom()) ||
          changed.stream.score <= best.stream.score + kWorthRefining)
        continue;
      changed.demand = PredictDemand(changed.stream, changed.recording, capacity);
      if (changed.demand.fits) best = std::move(changed);
    }
  return best;
}

}  // namespace kettle
