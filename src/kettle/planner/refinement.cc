// SPDX-License-Identifier: Apache-2.0
// B-frames, look-ahead and passes of the streams that were placed.
#include <set>

#include "kettle/planner/planner.h"

namespace kettle {

// Where no refinement gained an encoder anything, the next pictures are not tried with any; what gained a preset
// something is part of that preset from then on.
bool Planner::Refine(Pair& pair, const Targets& targets) {
  const EncodeSettings& settings = pair.stream.settings;
  const std::tuple key(settings.encoder, settings.preset, settings.device);
  if (refined_in_vain_.contains(settings.encoder) || refinements_.contains(key)) return false;
  Pair refined = RefineStream(pair, plan_.capacity, options_, targets.most_b_frames);
  if (SameSettings(refined, pair)) {
    if (!BestRefinementKnown(pair.stream)) refined_in_vain_.insert(settings.encoder);
    return false;
  }
  refinements_[key] = RefinementOf(refined.stream.settings);
  pair = std::move(refined);
  return true;
}

// The stream as it was seen to look better with other B-frames, look-ahead or passes, though there may be no time for
// them; null if it was not.
const Option* Planner::BestRefinementKnown(const Option& stream) const {
  const Option* best = nullptr;
  for (const Option& other : options_.options())
    if (WithRefinement(other.settings, {}) == WithRefinement(stream.settings, {}) && other.scored() &&
        other.busiest_score() > (best ? best->busiest_score() : stream.busiest_score() + kWorthRefining))
      best = &other;
  return best;
}

// Points that B-frames may gain that encoder: if it has them, its presets use none, and none were tried.
double Planner::BFramesMayGain(const EncodeSettings& like) const {
  if (!FindFamily(like.encoder).features.contains(Feature::kBFrames)) return 0;
  if (plan_.targets.most_b_frames == 0 || refined_in_vain_.contains(like.encoder)) return 0;
  for (const Option& option : options_.options())
    if (option.settings.encoder == like.encoder && option.settings.device == like.device && option.b_frames > 0)
      return 0;
  return kBFramesMayGain;
}

// The best pair; or the best of another encoder whose presets have no B-frames, if with them it looks better. Nothing
// if none gains.
std::optional<Pair> Planner::BestRefined(const std::vector<Pair>& pairs, const Targets& targets) {
  const auto encoder_of = [](const Pair& pair) {
    return std::pair(pair.stream.settings.encoder, pair.stream.settings.device);
  };
  Pair best = pairs.front();
  bool refined = Refine(best, targets);
  std::set tried{encoder_of(best)};
  for (const Pair& pair : pairs) {
    if (!tried.insert(encoder_of(pair)).second || pair.stream.b_frames > 0 ||
        pair.stream.score + kBFramesMayGain < best.stream.score || !draft_.MayGoOn(PlanStage::kRefinement))
      continue;
    Pair other = pair;
    if (!Refine(other, targets) || other.stream.score <= best.stream.score + kWorthChanging) continue;
    best = std::move(other);
    refined = true;
  }
  return refined ? std::optional(std::move(best)) : std::nullopt;
}

void Planner::RefineBest() {
  draft_.Begin(PlanStage::kRefinement);
  std::vector<Pair>& feasible = plan_.placement.feasible;
  // Where the recording is open, the stream alone has told which encoder it gets.
  const std::vector<Pair> best{feasible.front()};
  if (auto refined = BestRefined(draft_.one_encode_will_do() ? best : feasible, plan_.targets))
    feasible.insert(feasible.begin(), std::move(*refined));
  if (request_.show.recording_score && !draft_.one_encode_will_do()) {
    Settled settled{plan_.targets, plan_.placement, levels_, {}, refinements_};
    SettleRecording(*request_.show.recording_score, settled);
    plan_.placement = std::move(settled.placement);
    plan_.recording_level = std::move(settled.level);
  }
}

}  // namespace kettle
