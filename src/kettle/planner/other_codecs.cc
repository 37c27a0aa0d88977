// SPDX-License-Identifier: Apache-2.0
// The recording in another codec than H.264, where the show lets it: a clearly smaller file that looks as good, or, at
// a given bit rate, a better looking one. And why the codecs that were not taken were not.
#include <algorithm>
#include <cmath>

#include "kettle/option/with_encoder.h"
#include "kettle/planner/planner.h"

namespace kettle {

namespace {

constexpr double kWorthACodec = 0.9;   // of the file's size: for less nobody should give up what opens anywhere
constexpr double kBetterByACodec = 1;  // points
constexpr double kUnseen = 0.5;        // points

// Whether a recording is worth more than another: at a level by its size, at a bit rate by its looks.
bool IsWorthMore(const Option& recording, const Option& than) {
  if (IsQuality(recording.settings.rate_control) && IsQuality(than.settings.rate_control))
    return recording.mean_kbps < than.mean_kbps * kWorthACodec;
  return recording.score > than.score + kBetterByACodec;
}

Message Gain(const Option& recording, const Option& plain) {
  const double saved = GigabytesAnHour(plain) - GigabytesAnHour(recording);
  if (!IsQuality(recording.settings.rate_control)) {
    const double points = recording.score - plain.score;
    return Message{points < 0 ? "codec.looks-worse" : "codec.points",
                   {{"points", std::abs(points)}, {"other", plain.title()}}};
  }
  const double percent = 100 * (1 - recording.mean_kbps / plain.mean_kbps);
  if (saved < 0) return Message{"codec.larger-file", {{"percent", -percent}, {"other", plain.title()}}};
  return Message{"codec.saves", {{"gigabytes", saved}, {"percent", percent}, {"other", plain.title()}}};
}

}  // namespace

void Planner::TryOtherCodecs() {
  std::vector<Pair>& feasible = plan_.placement.feasible;
  if (feasible.empty() || feasible.front().one_encode) return;
  Pair plain = feasible.front();
  std::optional<Settled> best;
  for (const FamilyOptions& family : FamiliesAt(plan_.targets)) {
    const bool may = draft_.MayUse(Role::kRecording, family.family, family.device);
    if (!may || draft_.IsPlainRecording(family.family) || failed_codecs_.contains(family.family) ||
        !draft_.MayGoOn(PlanStage::kRecordingLevel))
      continue;
    if (!plain.recording.scored()) plain.recording = options_.Measure(plain.recording.settings);
    if (plan_.trade.empty()) draft_.NoteWay(PointOf(plain, Message{"trade.costs-nothing"}));
    std::optional<Settled> settled = InOtherCodec(plain, family.family, family.device);
    if (!settled) continue;
    const Pair& pair = settled->placement.feasible.front();
    const Message gain = Gain(pair.recording, plain.recording);
    draft_.NoteWay(PointOf(pair, gain));
    const Pair& than = best ? best->placement.feasible.front() : plain;
    const bool worth_it = IsWorthMore(pair.recording, plain.recording);
    draft_.NoteCodec(Role::kRecording, family.family, worth_it ? gain : Message{"codec.too-little", {{"gain", gain}}});
    if (IsWorthMore(pair.recording, than.recording)) best = std::move(settled);
  }
  if (!best) return;
  const Pair taken = best->placement.feasible.front();
  const Message gain = Gain(taken.recording, plain.recording);
  draft_.NoteWay(PointOf(taken, gain));  // another encoder of that codec may have been noted since
  Explain(plan_.targets, {"recording.encoder", taken.recording.title(), gain, true});
  feasible.insert(feasible.begin(), taken);
  if (best->level) plan_.recording_level = std::move(best->level);
}

// Streams of the same picture and bit rate that nobody can tell from that one, the best looking first: a lighter one
// may leave room for a codec that takes more.
std::vector<Option> Planner::StreamsAlike(const Option& stream) const {
  const auto is_alike = [&](const Option& other) {
    const EncodeSettings &a = stream.settings, &b = other.settings;
    return a.size == b.size && a.frame_rate == b.frame_rate && a.rate_control == b.rate_control &&
           a.bit_rate == b.bit_rate && other.scored() && other.keeps_pace(options_.required_headroom()) &&
           other.calm.empty() == stream.calm.empty() && other.score >= stream.score - kUnseen;
  };
  std::vector<Option> streams{stream};
  for (const Option& other : options_.options())
    if (other.settings != stream.settings && is_alike(other)) streams.push_back(other);
  std::stable_sort(streams.begin(), streams.end(), [](const Option& a, const Option& b) { return a.score > b.score; });
  return streams;
}

// The pair with its recording by that encoder; nothing if that holds at no preset, or never looks as good as was asked.
std::optional<Planner::Settled> Planner::InOtherCodec(const Pair& plain, const std::string& family, int device) {
  const bool by_level = request_.show.recording_score && IsQuality(plain.recording.settings.rate_control);
  const auto earlier = found_levels_.find(family);
  if (by_level)
    levels_[family] =
        earlier == found_levels_.end() ? StartLevel(family, *request_.show.recording_score) : earlier->second;
  const auto refuse = [&](const Message& why) {
    levels_.erase(family);
    draft_.NoteCodec(Role::kRecording, family, why);
    return std::nullopt;
  };
  const std::vector<FamilyOptions> families = FamiliesAt(plan_.targets);
  const auto at = std::find_if(families.begin(), families.end(), [&](const FamilyOptions& other) {
    return other.family == family && other.device == device;
  });
  const std::vector<Option> streams = StreamsAlike(plain.stream);
  std::optional<Pair> pair;  // with the best of those streams that leaves room for any preset
  for (const Option& stream : streams)
    if (!pair) pair = SlowestBeside(stream, *at, plan_.capacity);
  if (!pair) {
    const Option fastest = at->measure(Role::kRecording, 0);
    if (!fastest.trouble.empty()) return refuse(Verbatim(fastest.trouble));
    if (!fastest.keeps_pace(options_.required_headroom()))
      return refuse(Message{"codec.too-slow", {{"fps", fastest.throughput_fps}}});
    const Demand demand = PredictDemand(streams.back(), fastest, plan_.capacity);
    return refuse(Message{"codec.does-not-fit", {{"lacking", Lacking(demand, plan_.capacity)}}});
  }
  Settled settled{plan_.targets, {}, {}, {}};
  settled.placement.feasible = {*pair};
  if (!by_level) return settled;
  if (!SettleRecording(*request_.show.recording_score, settled))
    return refuse(Message{"codec.too-slow-at-level", {{"goal", *request_.show.recording_score}}});
  if (!settled.level || !settled.level->level)
    return refuse(settled.level ? settled.level->trouble : Message{"recording-level.no-time"});
  return settled;
}

}  // namespace kettle
