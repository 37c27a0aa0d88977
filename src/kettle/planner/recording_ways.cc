// SPDX-License-Identifier: Apache-2.0
// How to record, where the show leaves it open: the best that costs the stream next to nothing.
#include <algorithm>
#include <cmath>
#include <set>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/with_encoder.h"
#include "kettle/planner/picture_choice.h"
#include "kettle/planner/planner.h"

namespace kettle {

namespace {

constexpr double kBetter = 1;      // points: what a recording of its own must look better by
constexpr double kNothing = 0.05;  // points
constexpr double kLittle = 0.5;    // points that nobody sees
constexpr double kAsLarge = 0.4;   // of the stream's pixels: smaller recordings are worth no encode of their own

// No larger and no more often: what holds beside the heavier one holds beside it too, and looks no better.
bool IsWithin(const RecordingWay& way, const RecordingWay& other) {
  return way.size.pixels() <= other.size.pixels() && way.rate.fps() <= other.rate.fps();
}

}  // namespace

// Encodes of their own, the most pixels a second first, but for those that were proven not to hold.
std::vector<RecordingWay> Planner::WaysToRecord() const {
  std::vector<RecordingWay> ways;
  if (only_one_encode_) return ways;
  for (const FrameSize size : request_.targets.recording_sizes)
    for (const FrameRate rate : request_.targets.recording_rates)
      if (const RecordingWay way{size, rate};
          std::none_of(failed_ways_.begin(), failed_ways_.end(),
                       [&](const RecordingWay& failed) { return IsWithin(failed, way); }))
        ways.push_back(way);
  std::stable_sort(ways.begin(), ways.end(),
                   [](const RecordingWay& a, const RecordingWay& b) { return PixelRate(a) > PixelRate(b); });
  return ways;
}

Placement Planner::PlaceStream(const std::vector<TriedPicture>& pictures,
                               const std::function<Placement(const Targets&)>& place, Targets& targets) {
  return PlaceBestPicture(
      pictures, place, [&](const Option& option) { return options_.MeasureEverywhere(option.settings); }, targets);
}

// One encode for both first: it tells what the stream is worth alone, and stands where no recording of its own looks
// better.
Placement Planner::PlaceBoth() {
  const Show& show = request_.show;
  refinements_.clear();  // they may not fit any more
  if (!draft_.RecordingIsFree() && !show.recording_is_stream)
    return PlaceStream(
        plan_.pictures, [&](const Targets& at) { return PlaceAt(at); }, plan_.targets);
  std::erase_if(plan_.trade, [](const TradePoint& point) { return point.why.key != "trade.failed-proof"; });
  Settled best;
  best.targets = request_.targets;
  best.placement = PlaceStream(
      plan_.pictures, [&](const Targets& at) { return PlaceOneEncode(FamiliesAt(at), plan_.capacity); }, best.targets);
  if (best.placement.feasible.empty()) return best.placement;
  // What the stream gives is told by what it could have alone, B-frames and look-ahead included.
  RefineAlone(best);
  if (show.recording_is_stream) return Take(std::move(best));
  const Pair one = best.placement.feasible.front();
  const Refinements alone = best.refinements;
  stream_alone_ = one.stream;
  draft_.Begin(PlanStage::kPlacement);
  draft_.NoteWay(PointOf(one, Message{"trade.costs-nothing"}));
  // After a proof run that left too little what is known must do: a second look at lighter streams takes long.
  if (show.favour == Favour::kStream && plan_.proving.attempts.empty()) MeasureLighterStreams();
  double best_worth = WorthOf(one) + kBetter;
  std::vector<RecordingWay> done;
  for (const RecordingWay& way : WaysToRecord()) {
    const bool smaller =
        static_cast<double>(way.size.pixels()) < kAsLarge * static_cast<double>(one.stream.settings.size.pixels());
    if (smaller || !draft_.MayGoOn(PlanStage::kPlacement) ||
        std::any_of(done.begin(), done.end(), [&](const RecordingWay& other) { return IsWithin(way, other); }))
      continue;
    std::optional<Settled> settled = SettleWay(way, one.stream.settings);
    refinements_ = alone;
    if (!settled) continue;
    const Pair& pair = settled->placement.feasible.front();
    if (show.favour != Favour::kBalance || stream_alone_->score - pair.stream.score < kLittle) done.push_back(way);
    if (const double worth = WorthOf(pair); worth > best_worth) {
      best = std::move(*settled);
      best_worth = worth;
    }
  }
  return Take(std::move(best));
}

// At the targets' picture, with as many encodes as the pair that stood before.
Placement Planner::PlaceAgain(bool one_encode) {
  if (!one_encode) return PlaceAt(plan_.targets);
  plan_.targets.recording = plan_.targets.stream;
  return PlaceOneEncode(FamiliesAt(plan_.targets), plan_.capacity);
}

// Of the pairs that may be taken.
double Planner::WorthOf(const Pair& pair) const {
  return pair.recording.score + (request_.show.favour == Favour::kBalance ? pair.stream.score : 0);
}

// Whether a recording no larger than the stream may look better than the stream's own encode, by the fastest presets at
// the levels guessed: its goal is how it looks at its own size, and viewers see the source's.
bool Planner::MayLookBetterThanTheStream(const Targets& targets) {
  constexpr double kGuess = 8;  // points that a better level and a slower preset may gain
  const Show& show = request_.show;
  if (!show.recording_score || show.favour == Favour::kBalance) return true;
  if (targets.recording.size.pixels() > stream_alone_->settings.size.pixels()) return true;
  for (const FamilyOptions& family : FamiliesAt(targets)) {
    if (!family.records) continue;
    const Option fastest =
        options_.Measure(RecordingSettings(targets.recording, family.family, 0, family.device, levels_));
    if (!fastest.scored() || fastest.score + kGuess > stream_alone_->score + kBetter) return true;
  }
  return false;
}

// Places both with the recording at that picture; nothing if none fits, or the stream loses too much.
std::optional<Planner::Settled> Planner::SettleWay(const RecordingWay& way, const EncodeSettings& alone) {
  const bool stream_first = request_.show.favour == Favour::kStream;
  Settled settled;
  settled.targets = request_.targets;
  settled.targets.recording = AtPicture(request_.targets.recording, way);
  settled.targets.stream.size = alone.size;
  settled.targets.stream.frame_rate = alone.frame_rate;
  GuessLevels();
  TradePoint point;
  point.size = way.size;
  point.rate = way.rate;
  const auto refuse = [&](const Message& why) {
    point.why = why;
    draft_.NoteWay(point);
    return std::nullopt;
  };
  if (!MayLookBetterThanTheStream(settled.targets)) return refuse(Message{"trade.looks-no-better"});
  if (stream_first) {
    const Option* stream = StreamThatLeavesRoom(settled.targets);
    if (!stream) return refuse(Message{"trade.no-room", {{"gives", request_.show.stream_gives}}});
    const EncodeSettings& chosen = stream->settings;
    if (RefinementOf(chosen) == RefinementOf(request_.targets.stream))
      refinements_.erase({chosen.encoder, chosen.preset, chosen.device});
    PlaceAtPicture(*stream, settled);
  } else {
    settled.placement = PlaceStream(
        plan_.pictures, [&](const Targets& at) { return PlaceAt(at); }, settled.targets);
  }
  if (settled.placement.feasible.empty()) return refuse(Message{"trade.does-not-fit"});
  double lost = stream_alone_->score - settled.placement.feasible.front().stream.score;
  point = PointOf(settled.placement.feasible.front(), {});
  if (stream_first && lost > request_.show.stream_gives)
    return refuse(Message{"trade.gives-too-much", {{"lost", lost}, {"gives", request_.show.stream_gives}}});
  if (request_.show.recording_score && !SettleWithSomeEncoder(settled)) return refuse(Message{"trade.level-too-heavy"});
  if (stream_first && !request_.show.recording_score) PreferTheBestRecording(settled);
  Pair& pair = settled.placement.feasible.front();
  // Ways are compared by all clips: a smaller picture ruins text more than waves.
  options_.Measure(pair.recording.settings);
  pair.recording = options_.MeasureEverywhere(pair.recording.settings);
  settled.levels = levels_;
  settled.refinements = refinements_;
  lost = stream_alone_->score - pair.stream.score;
  const Message cost = lost < kNothing ? Message{"trade.costs-nothing"} : Message{"trade.costs", {{"lost", lost}}};
  draft_.NoteWay(PointOf(pair, cost));
  return settled;
}

// At a given bit rate a slower preset of the recording looks better as a rule, and by little: of the presets up to the
// one that was placed, and of what was measured besides, the pair that makes most of what the stream may give.
void Planner::PreferTheBestRecording(Settled& settled) {
  Pair best = settled.placement.feasible.front();
  EncodeSettings faster = best.recording.settings;
  for (const std::string& preset : FindFamily(faster.encoder).presets) {
    if (preset == best.recording.settings.preset) break;
    faster.preset = preset;
    options_.Measure(faster);
  }
  const auto is_of = [](const EncodeSettings& settings, const EncodeSettings& target) {
    EncodeSettings asked = WithEncoder(target, settings.encoder, settings.preset);
    asked.device = settings.device;
    return settings == asked;
  };
  const Refinement as_asked = RefinementOf(settled.targets.stream);
  for (const Option& stream : options_.options()) {
    if (!is_of(WithRefinement(stream.settings, as_asked), settled.targets.stream) || !MayStream(stream)) continue;
    for (const Option& recording : options_.options()) {
      if (!is_of(recording.settings, settled.targets.recording) || !recording.scored() ||
          !recording.keeps_pace(options_.required_headroom()) ||
          !draft_.MayUse(Role::kRecording, recording.settings.encoder, recording.settings.device))
        continue;
      const double gain = recording.score - best.recording.score;
      const bool better = gain > kBetter || (gain >= -kLittle && stream.score > best.stream.score + kBetter);
      if (!better) continue;
      Pair pair{stream, recording, PredictDemand(stream, recording, plan_.capacity)};
      if (pair.demand.fits) best = std::move(pair);
    }
  }
  if (!SameSettings(best, settled.placement.feasible.front()))
    settled.placement.feasible.insert(settled.placement.feasible.begin(), best);
}

// For a look at what may fit: a little worse than what another picture needed, or than where a search begins.
void Planner::GuessLevels() {
  constexpr int kFewerBits = 2;  // levels
  levels_.clear();
  if (!request_.show.recording_score) return;
  for (const std::string& family : draft_.recording_families()) {
    if (!FindFamily(family).rates.contains(RateControl::kConstantQuality)) continue;
    const auto earlier = found_levels_.find(family);
    const int level =
        earlier == found_levels_.end() ? StartLevel(family, *request_.show.recording_score) : earlier->second;
    levels_[family] = std::min(level + kFewerBits, FindFamily(family).quality.worst);
  }
}

// The level of the first pair, or, where it is too heavy, of one with another encoder for the recording.
bool Planner::SettleWithSomeEncoder(Settled& settled) {
  const double least = settled.placement.feasible.front().stream.score - kLittle;
  std::vector<Pair> pairs = std::move(settled.placement.feasible);
  std::set<std::pair<std::string, int>> tried;
  for (const Pair& pair : pairs) {
    const EncodeSettings& recording = pair.recording.settings;
    if (pair.stream.score < least || !tried.emplace(recording.encoder, recording.device).second) continue;
    settled.placement.feasible = {pair};
    levels_.clear();
    if (!SettleRecording(*request_.show.recording_score, settled)) continue;
    // Where no level was found the rule's bit rate stands.
    if (levels_.empty()) settled.placement = PlaceAt(settled.targets);
    return !settled.placement.feasible.empty();
  }
  return false;
}

// Both, with the stream's picture that of an option; the reasons are those of the picture.
void Planner::PlaceAtPicture(const Option& stream, Settled& settled) {
  const auto picture = std::find_if(plan_.pictures.begin(), plan_.pictures.end(), [&](const TriedPicture& tried) {
    return tried.size == stream.settings.size && tried.rate == stream.settings.frame_rate;
  });
  if (picture != plan_.pictures.end())
    ChoosePicture(plan_.pictures, *picture,
                  Message{picture == plan_.pictures.begin() ? "picture.best" : "picture.best-beside-recording"},
                  settled.targets);
  settled.placement = PlaceAt(settled.targets);
}

Placement Planner::Take(Settled settled) {
  plan_.targets = std::move(settled.targets);
  levels_ = std::move(settled.levels);
  refinements_ = std::move(settled.refinements);
  plan_.recording_level = std::move(settled.level);
  return std::move(settled.placement);
}

// The recording that was just proven did not hold with room, beside a stream that loses little: a lighter one may.
// `last`: at most one more is tried.
bool Planner::TryLighterRecording(const Proving& proving, bool last) {
  if (proving.attempts.empty() || proving.attempts.back().pair.one_encode) return false;
  const Pair& pair = proving.attempts.back().pair;
  if (!draft_.IsPlainRecording(pair.recording.settings.encoder)) {  // then first without that codec
    failed_codecs_.insert(pair.recording.settings.encoder);
    draft_.NoteWay(PointOf(pair, Message{"trade.failed-proof"}));
    return true;
  }
  if (!draft_.RecordingIsFree()) return false;
  failed_ways_.push_back({pair.recording.settings.size, pair.recording.settings.frame_rate});
  draft_.NoteWay(PointOf(pair, Message{"trade.failed-proof"}));
  only_one_encode_ = last || draft_.runs_left() <= 1;
  return true;
}

}  // namespace kettle
