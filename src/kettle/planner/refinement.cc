// SPDX-License-Identifier: Apache-2.0
// B-frames, look-ahead and passes of the streams that were placed.
#include <set>

#include "kettle/planner/planner.h"

namespace kettle {

namespace {

std::pair<std::string, int> EncoderOf(const Pair& pair) {
  return {pair.stream.settings.encoder, pair.stream.settings.device};
}

}  // namespace

// In a row; unset: any number.
std::optional<int> Planner::MostBFrames(const std::string& encoder, const Targets& targets) const {
  return request_.without_b_frames.contains(encoder) ? std::optional(0) : targets.most_b_frames;
}

// Where no refinement gained an encoder anything, the next pictures are not tried with any; what gained a preset
// something is part of that preset from then on.
bool Planner::Refine(Pair& pair, const Targets& targets) {
  const EncodeSettings& settings = pair.stream.settings;
  const std::tuple key(settings.encoder, settings.preset, settings.device);
  if (refined_in_vain_.contains(settings.encoder) || refinements_.contains(key)) return false;
  Pair refined = RefineStream(pair, plan_.capacity, options_, MostBFrames(settings.encoder, targets));
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

// Points that an encoder may gain; none once it was tried.
double Planner::RefiningMayGain(const EncodeSettings& like) const {
  if (refined_in_vain_.contains(like.encoder)) return 0;
  const Refinement as_asked = RefinementOf(request_.targets.stream);
  for (const Option& option : options_.options())
    if (option.settings.encoder == like.encoder && option.settings.device == like.device &&
        RefinementOf(option.settings) != as_asked)
      return 0;
  const auto& features = FindFamily(like.encoder).features;
  const bool b_frames = features.contains(Feature::kBFrames) && MostBFrames(like.encoder, plan_.targets) != 0;
  const bool others = features.contains(Feature::kLookAhead) || features.contains(Feature::kMultiPass);
  return b_frames || others ? kRefiningMayGain : 0;
}

// Of the best pair and those of other encoders that may catch up, each refined: the best, as placements are ordered.
// One encoder's presets may have B-frames and look-ahead where another's leave them out. Nothing if it is the best pair
// as it was.
std::optional<Pair> Planner::BestRefined(const std::vector<Pair>& pairs, const Targets& targets) {
  const double best_before = pairs.front().stream.score;
  std::vector<Pair> refined{pairs.front()};
  Refine(refined.front(), targets);
  std::set tried{EncoderOf(refined.front())};
  for (const Pair& pair : pairs) {
    if (!tried.insert(EncoderOf(pair)).second || pair.stream.score + kRefiningMayGain < best_before ||
        !draft_.MayGoOn(PlanStage::kRefinement))
      continue;
    Pair other = pair;
    if (Refine(other, targets)) refined.push_back(std::move(other));
  }
  SortPairs(refined, plan_.capacity);
  if (SameSettings(refined.front(), pairs.front())) return std::nullopt;
  return std::move(refined.front());
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
