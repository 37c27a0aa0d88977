// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/refine.h"

#include <functional>
#include <vector>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

bool Possible(const EncodeSettings& settings) {
  try {
    ConfigFor(settings);
    return true;
  } catch (const Error&) {
    return false;
  }
}

// One setting changed, by a little and then by more: a further step is worth a look only if the one before was.
using Steps = std::vector<EncodeSettings>;

template <class Value>
Steps StepsOf(const EncodeSettings& base, std::optional<Value> EncodeSettings::*field,
              const std::vector<Value>& values) {
  Steps steps;
  for (const Value value : values) {
    EncodeSettings settings = base;
    settings.*field = value;
    if (settings != base && Possible(settings)) steps.push_back(std::move(settings));
  }
  return steps;
}

Steps BFrames(const EncodeSettings& base, std::vector<int> counts, const std::function<bool(int)>& wanted) {
  std::erase_if(counts, [&](int count) { return !wanted(count); });
  return StepsOf(base, &EncodeSettings::b_frames, counts);
}

// The ways in which a feature may help. Less look-ahead never looks better.
std::vector<Steps> Ways(const Option& base, Feature feature) {
  const EncodeSettings& settings = base.settings;
  switch (feature) {
    case Feature::kBFrames:
      return {BFrames(settings, {2, 0}, [&](int count) { return count < base.b_frames; }),
              BFrames(settings, {2, 3}, [&](int count) { return count > base.b_frames; })};
    case Feature::kLookAhead: return {StepsOf(settings, &EncodeSettings::look_ahead_frames, {20, 40})};
    case Feature::kMultiPass: return {StepsOf(settings, &EncodeSettings::multi_pass, {true})};
    case Feature::kAdaptiveQuantisation:
    case Feature::kPsychovisual: break;
  }
  return {};
}

class Refiner {
 public:
  Refiner(const Pair& pair, const Capacity& capacity, OptionBook& book, std::optional<int> most_b_frames)
      : best_(pair), capacity_(capacity), book_(book), most_b_frames_(most_b_frames) {}

  Pair Run() {
    for (const auto& [feature, mapping] : FindFamily(best_.stream.settings.encoder).features)
      for (const Steps& way : Ways(best_.stream, feature))
        for (const EncodeSettings& settings : way)
          if (!Take(settings)) break;
    return std::move(best_);
  }

 private:
  // True if it is the best now.
  bool Take(const EncodeSettings& settings) {
    if (most_b_frames_ && settings.b_frames.value_or(0) > *most_b_frames_) return false;
    Pair changed = best_;
    const double busiest_to_beat = best_.stream.busiest_score() + kWorthRefining;
    changed.stream = book_.Measure(settings, busiest_to_beat);
    if (!changed.stream.measured || !changed.stream.keeps_pace(book_.required_headroom()) ||
        changed.stream.busiest_score() <= busiest_to_beat)
      return false;
    changed.Stream(book_.MeasureWhole(settings));
    if (changed.stream.score <= best_.stream.score + kWorthRefining) return false;
    changed.demand = DemandOf(changed, capacity_);
    if (!changed.demand.fits) return false;
    best_ = std::move(changed);
    return true;
  }

  Pair best_;
  const Capacity& capacity_;
  OptionBook& book_;
  const std::optional<int> most_b_frames_;
};

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

Pair RefineStream(const Pair& pair, const Capacity& capacity, OptionBook& book, std::optional<int> most_b_frames) {
  return Refiner(pair, capacity, book, most_b_frames).Run();
}

}  // namespace kettle
