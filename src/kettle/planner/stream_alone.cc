// SPDX-License-Identifier: Apache-2.0
// The stream as the only encode: what it is worth alone, and the lighter ones that make room for a recording.
#include <algorithm>

#include "kettle/encoders/catalogue.h"
#include "kettle/planner/picture_choice.h"
#include "kettle/planner/planner.h"

namespace kettle {

namespace {

constexpr double kClearly = 0.5;  // points

double PixelRate(const Option& option) {
  return static_cast<double>(option.settings.size.pixels()) * option.settings.frame_rate.fps();
}

}  // namespace

// The placement's best pair, refined; or another stream that looks better: where a large picture has no room for
// B-frames and look-ahead, a lighter one may have.
void Planner::RefineAlone(Settled& settled) {
  draft_.Begin(PlanStage::kRefinement);
  std::vector<Pair>& feasible = settled.placement.feasible;
  std::optional<Pair> refined = BestRefined(feasible, settled.targets);
  bool changed = refined.has_value();
  Pair one = refined ? std::move(*refined) : feasible.front();
  MeasureRefinedLighter(one.stream);
  if (auto better = BetterKnownAlone(one)) {
    one = std::move(*better);
    const EncodeSettings& settings = one.stream.settings;
    refinements_[{settings.encoder, settings.preset, settings.device}] = RefinementOf(settings);
    changed = true;
  }
  if (changed) {
    AddPicture(one.stream);
    feasible.insert(feasible.begin(), one);
  }
  ChoosePictureOf(one.stream.settings, settled.targets);
  settled.targets.recording = settled.targets.stream;
  settled.refinements = refinements_;
}

// If it is not the one chosen already.
void Planner::ChoosePictureOf(const EncodeSettings& stream, Targets& targets) {
  if (stream.size == targets.stream.size && stream.frame_rate == targets.stream.frame_rate) return;
  const Message why{plan_.proving.attempts.empty() ? "picture.best" : "picture.best-in-real-time"};
  for (const TriedPicture& tried : plan_.pictures)
    if (tried.size == stream.size && tried.rate == stream.frame_rate)
      ChoosePicture(plan_.pictures, tried, why, targets);
}

// Where B-frames and look-ahead are known to make this stream look better, but were not taken: lighter pictures with
// them, as far as they may look better than it.
void Planner::MeasureRefinedLighter(const Option& stream) {
  const Option* refined = BestRefinementKnown(stream);
  if (!refined) return;
  const Refinement refinement = RefinementOf(refined->settings);
  const double gain = refined->score - stream.score;
  const std::vector<TriedPicture> pictures = plan_.pictures;  // a copy: they may be added to
  for (const TriedPicture& picture : pictures) {
    if (!picture.best || PixelRate(*picture.best) >= PixelRate(stream) || !draft_.MayGoOn(PlanStage::kRefinement))
      continue;
    const EncodeSettings& settings = picture.best->settings;
    if (settings.encoder == stream.settings.encoder && settings.preset == stream.settings.preset &&
        RefinementOf(settings) != refinement && picture.best->score + gain > stream.score + kClearly)
      options_.MeasureEverywhere(WithRefinement(settings, refinement));
  }
}

// The best looking of those that were measured, if it clearly looks better than `one`, and fits as the only encode.
std::optional<Pair> Planner::BetterKnownAlone(const Pair& one) {
  const EncodeSettings& asked = one.stream.settings;
  std::optional<Pair> best;
  const std::vector<Option> known = options_.options();  // a copy: more may be measured below
  for (const Option& option : known) {
    const EncodeSettings& settings = option.settings;
    if (!option.scored() || !draft_.MayUse(Role::kStream, settings.encoder, settings.device) ||
        settings.rate_control != asked.rate_control || settings.bit_rate != asked.bit_rate ||
        option.calm.empty() != one.stream.calm.empty() || !option.keeps_pace(options_.required_headroom()) ||
        option.score <= (best ? best->stream.score : one.stream.score + kClearly))
      continue;
    Pair pair{option, option, {}, {}, true};
    if (Confirm(pair) && pair.stream.score > (best ? best->stream.score : one.stream.score + kClearly))
      best = std::move(pair);
  }
  return best;
}

// It has the frame rate that the stream has alone, and loses no more of its score than it may.
bool Planner::MayStream(const Option& option) const {
  const EncodeSettings &settings = option.settings, &alone = stream_alone_->settings;
  return option.scored() && draft_.MayUse(Role::kStream, settings.encoder, settings.device) &&
         settings.frame_rate == alone.frame_rate && settings.rate_control == alone.rate_control &&
         settings.bit_rate == alone.bit_rate && option.keeps_pace(options_.required_headroom()) &&
         option.calm.empty() == stream_alone_->calm.empty() &&
         option.score >= stream_alone_->score - request_.show.stream_gives;
}

// The stream that leaves room for some recording at that picture and loses no more than it may: the best looking of
// those known at the frame rate it has alone. Null if none does.
const Option* Planner::StreamThatLeavesRoom(const Targets& targets) {
  std::vector<Option> lightest;  // of the recording
  for (const FamilyOptions& family : FamiliesAt(targets))
    if (family.records) lightest.push_back(family.measure(Role::kRecording, 0));
  const Option* best = nullptr;
  for (const Option& stream : options_.options()) {
    if (!MayStream(stream) || (best && stream.score <= best->score)) continue;
    if (std::any_of(lightest.begin(), lightest.end(), [&](const Option& recording) {
          return recording.keeps_pace(options_.required_headroom()) &&
                 PredictDemand(stream, recording, plan_.capacity).fits;
        }))
      best = &stream;
  }
  return best;
}

// Faster presets and smaller pictures than the stream has alone, each until one loses more than it may: known, they may
// make room.
void Planner::MeasureLighterStreams() {
  const EncodeSettings& alone = stream_alone_->settings;
  const double least = stream_alone_->score - request_.show.stream_gives;
  for (const FrameSize size : draft_.space.sizes) {
    if (size.pixels() >= alone.size.pixels()) continue;
    EncodeSettings smaller = alone;
    smaller.size = size;
    const Option option = options_.MeasureWhole(smaller);
    if (option.score < least) break;
    AddPicture(option);
  }
  const auto& presets = FindFamily(alone.encoder).presets;
  for (auto preset = std::find(presets.begin(), presets.end(), alone.preset); preset != presets.begin();) {
    EncodeSettings faster = WithRefinement(alone, RefinementOf(request_.targets.stream));
    faster.preset = *--preset;
    if (options_.MeasureWhole(faster).score < least) return;
  }
}

// A picture of the stream that may be taken belongs to those that were tried.
void Planner::AddPicture(const Option& option) {
  const EncodeSettings& settings = option.settings;
  for (TriedPicture& tried : plan_.pictures)
    if (tried.size == settings.size && tried.rate == settings.frame_rate) {
      if (!tried.best || tried.best->score < option.score) tried.best = option;
      return;
    }
  plan_.pictures.push_back({settings.size, settings.frame_rate, option});
}

}  // namespace kettle
