// SPDX-License-Identifier: Apache-2.0
// How to record, where the show leaves it open: the best that costs the stream next to nothing.
#include <algorithm>
#include <cmath>
#include <set>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/with_encoder.h"
#include "kettle/planner/planner.h"

namespace kettle {

namespace {

constexpr double kAnything = -100;  // points: any stream is better than none
constexpr double kBetter = 1;       // points: what a recording of its own must look better by
constexpr double kNothing = 0.05;   // points
constexpr double kLittle = 0.5;     // points that nobody sees
constexpr double kAsLarge = 0.4;    // of the stream's pixels: smaller recordings are worth no encode of their own

// No larger and no more often: what holds beside the heavier one holds beside it too, and looks no better.
bool IsWithin(const RecordingWay& way, const RecordingWay& other) {
  return way.size.pixels() <= other.size.pixels() && way.rate.fps() <= other.rate.fps();
}

// The targets' picture is the first pair's stream's.
void AimAtFirst(const Placement& placement, Targets& targets) {
  if (placement.feasible.empty()) return;
  const EncodeSettings& stream = placement.feasible.front().stream.settings;
  targets.stream.size = stream.size;
  targets.stream.frame_rate = stream.frame_rate;
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

// The streams that look best as the only encode, written to disk as well.
Placement Planner::PlaceOneEncode(Targets& targets) {
  draft_.Begin(PlanStage::kPicture);
  const std::vector<Option> streams = SearchStreams(StreamsAlone(), kAnything);
  draft_.Begin(PlanStage::kPlacement);
  Placement placement;
  for (const Option& stream : streams) placement.feasible.push_back(AsOneEncode(stream, plan_.capacity));
  SortPairs(placement.feasible, plan_.capacity);
  AimAtFirst(placement, targets);
  targets.recording = targets.stream;
  TellWhatIsRuledOut(placement, targets);
  return placement;
}

// Beside a recording as the targets have it: the stream that looks best beside the lightest one, then the slowest
// preset of each encoder for the recording that still fits.
Placement Planner::PlaceBeside(Targets& targets, std::optional<FrameRate> stream_rate, double score_to_beat) {
  const std::vector<FamilyOptions> families = FamiliesAt(targets);
  std::vector<Option> lightest;
  for (const FamilyOptions& family : families)
    if (family.records)
      if (Option fastest = family.measure(Role::kRecording, 0); fastest.keeps_pace(options_.required_headroom()))
        lightest.push_back(std::move(fastest));
  SearchSpace space = StreamsBeside(lightest);
  if (stream_rate) space.rates = {*stream_rate};
  if (!stream_alone_) draft_.Begin(PlanStage::kPicture);
  const std::vector<Option> streams = SearchStreams(space, score_to_beat);
  draft_.Begin(PlanStage::kPlacement);
  Placement placement;
  for (const FamilyOptions& family : families) {
    if (streams.empty() || !family.records) continue;
    const std::optional<Pair> pair = SlowestBeside(streams.front(), family, plan_.capacity);
    if (!pair) continue;
    for (const Option& stream : streams)
      if (const Demand demand = PredictDemand(stream, pair->recording, plan_.capacity); demand.fits)
        placement.feasible.push_back({stream, pair->recording, demand});
  }
  SortPairs(placement.feasible, plan_.capacity);
  AimAtFirst(placement, targets);
  TellWhatIsRuledOut(placement, targets);
  return placement;
}

// At a given bit rate: the best looking recording beside which the stream loses no more than it may.
Placement Planner::PlaceTheBestRecording(Targets& targets) {
  std::vector<Option> recordings;
  for (const FamilyOptions& family : FamiliesAt(targets)) {
    if (!family.records) continue;
    for (int preset = 0; preset < family.most_presets(Role::kRecording); ++preset) {
      const Option recording = family.measure(Role::kRecording, preset);
      if (!recording.scored() || !recording.keeps_pace(options_.required_headroom())) break;
      recordings.push_back(recording);
    }
  }
  std::stable_sort(recordings.begin(), recordings.end(),
                   [](const Option& a, const Option& b) { return a.score > b.score; });
  Placement placement;
  const FrameRate rate = stream_alone_->settings.frame_rate;
  for (const Option& recording : recordings) {
    if (!placement.feasible.empty() && recording.score < placement.feasible.front().recording.score - kLittle) break;
    SearchSpace space = StreamsBeside({recording});
    space.rates = {rate};
    const double least = placement.feasible.empty() ? stream_alone_->score - request_.show.stream_gives
                                                    : placement.feasible.front().stream.score + kBetter;
    const std::vector<Option> streams = SearchStreams(space, least);
    if (streams.empty() || streams.front().score < least) continue;
    placement.feasible = {{streams.front(), recording, PredictDemand(streams.front(), recording, plan_.capacity)}};
  }
  AimAtFirst(placement, targets);
  TellWhatIsRuledOut(placement, targets);
  return placement;
}

Planner::Settled Planner::PlaceAsGiven() {
  Settled settled{request_.targets, {}, {}, {}};
  draft_.Begin(PlanStage::kPlacement);
  settled.placement = PlaceBeside(settled.targets, std::nullopt, kAnything);
  if (settled.placement.feasible.empty() || !request_.show.recording_score) return settled;
  SettleRecording(*request_.show.recording_score, settled);
  settled.levels = levels_;
  return settled;
}

// One encode for both first: it tells what the stream is worth alone, and stands where no recording of its own looks
// better.
Planner::Settled Planner::ChooseWay() {
  const Show& show = request_.show;
  std::erase_if(plan_.trade, [](const TradePoint& point) { return point.why.key != "trade.failed-proof"; });
  Settled best{request_.targets, {}, {}, {}};
  best.placement = PlaceOneEncode(best.targets);
  if (best.placement.feasible.empty() || show.recording_is_stream) return best;
  const Pair one = best.placement.feasible.front();
  stream_alone_ = one.stream;
  draft_.NoteWay(PointOf(one, Message{"trade.costs-nothing"}));
  double best_worth = WorthOf(one) + kBetter;
  std::vector<RecordingWay> done;
  for (const RecordingWay& way : WaysToRecord()) {
    const bool smaller =
        static_cast<double>(way.size.pixels()) < kAsLarge * static_cast<double>(one.stream.settings.size.pixels());
    if (smaller || !draft_.MayGoOn(PlanStage::kPlacement) ||
        std::any_of(done.begin(), done.end(), [&](const RecordingWay& other) { return IsWithin(way, other); }))
      continue;
    std::optional<Settled> settled = SettleWay(way);
    if (!settled) continue;
    const Pair& pair = settled->placement.feasible.front();
    if (show.favour != Favour::kBalance || stream_alone_->score - pair.stream.score < kLittle) done.push_back(way);
    if (const double worth = WorthOf(pair); worth > best_worth) {
      best = std::move(*settled);
      best_worth = worth;
    }
  }
  return best;
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
std::optional<Planner::Settled> Planner::SettleWay(const RecordingWay& way) {
  const bool stream_first = request_.show.favour == Favour::kStream;
  const double least = stream_alone_->score - request_.show.stream_gives;
  Settled settled{request_.targets, {}, {}, {}};
  settled.targets.recording = AtPicture(request_.targets.recording, way);
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
  if (!stream_first)
    settled.placement = PlaceBeside(settled.targets, std::nullopt, kAnything);
  else if (request_.show.recording_score)
    settled.placement = PlaceBeside(settled.targets, stream_alone_->settings.frame_rate, least);
  else
    settled.placement = PlaceTheBestRecording(settled.targets);
  if (settled.placement.feasible.empty())
    return refuse(stream_first ? Message{"trade.no-room", {{"gives", request_.show.stream_gives}}}
                               : Message{"trade.does-not-fit"});
  double lost = stream_alone_->score - settled.placement.feasible.front().stream.score;
  point = PointOf(settled.placement.feasible.front(), {});
  if (stream_first && lost > request_.show.stream_gives)
    return refuse(Message{"trade.gives-too-much", {{"lost", lost}, {"gives", request_.show.stream_gives}}});
  if (request_.show.recording_score && !SettleWithSomeEncoder(settled)) return refuse(Message{"trade.level-too-heavy"});
  Pair& pair = settled.placement.feasible.front();
  // Ways are compared by all clips: a smaller picture ruins text more than waves.
  options_.Measure(pair.recording.settings);
  pair.recording = options_.MeasureEverywhere(pair.recording.settings);
  settled.levels = levels_;
  lost = stream_alone_->score - pair.stream.score;
  const Message cost = lost < kNothing ? Message{"trade.costs-nothing"} : Message{"trade.costs", {{"lost", lost}}};
  draft_.NoteWay(PointOf(pair, cost));
  return settled;
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
    if (levels_.empty()) settled.placement = PlaceBeside(settled.targets, std::nullopt, least);
    return !settled.placement.feasible.empty();
  }
  return false;
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
