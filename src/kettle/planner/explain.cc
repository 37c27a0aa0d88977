// SPDX-License-Identifier: Apache-2.0
#include "kettle/planner/explain.h"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

// Of a codec that every destination accepts.
Message WhyNotStreamed(const PlanDraft& draft, const std::string& codec) {
  const bool any = std::any_of(draft.request.families.begin(), draft.request.families.end(),
                               [&](const std::string& family) { return FindFamily(family).codec == codec; });
  if (!any)
    return Message{"codec.none-works", {{"rate_control", Name(draft.plan.chosen->stream.settings.rate_control)}}};
  const Option* best = nullptr;
  for (const Option& option : draft.options.options())
    if (FindFamily(option.settings.encoder).codec == codec && option.scored() &&
        option.settings.bit_rate == draft.plan.chosen->stream.settings.bit_rate &&
        option.keeps_pace(draft.options.required_headroom()) && (!best || option.score > best->score))
      best = &option;
  if (!best) return Message{"codec.none-in-time"};
  return Message{
      "codec.looks-no-better",
      {{"encoder", best->title()}, {"score", best->score}, {"other_score", draft.plan.chosen->stream.score}}};
}

bool StreamsIn(const Pair& pair, const std::string& codec) {
  const auto is_in = [&](const Option& option) { return FindFamily(option.settings.encoder).codec == codec; };
  return is_in(pair.stream) || std::any_of(pair.further.begin(), pair.further.end(),
                                           [&](const FurtherStream& further) { return is_in(further.option); });
}

void ExplainStreamCodecs(PlanDraft& draft) {
  const std::vector<Destination>& destinations = draft.request.show.destinations;
  const auto& accepted = draft.plan.targets.stream_codecs;
  for (const char* codec : kStreamCodecs) {
    if (StreamsIn(*draft.plan.chosen, codec)) continue;
    const auto refuses = std::find_if(destinations.begin(), destinations.end(),
                                      [&](const Destination& to) { return !to.Accepts(codec); });
    if (refuses != destinations.end())
      draft.plan.other_codecs.push_back(
          {Role::kStream, codec, "", Message{"codec.refused", {{"destination", refuses->name}}}});
    else if (std::find(accepted.begin(), accepted.end(), codec) != accepted.end())
      draft.plan.other_codecs.push_back({Role::kStream, codec, "", WhyNotStreamed(draft, codec)});
  }
}

void ExplainRecordingCodecs(PlanDraft& draft, const std::set<std::string>& failed) {
  const Pair& chosen = *draft.plan.chosen;
  const std::string& taken = chosen.recording.settings.encoder;
  std::vector<OtherCodec>& others = draft.plan.other_codecs;
  std::erase_if(others, [&](const OtherCodec& other) {
    return other.role == Role::kRecording && !chosen.one_encode && other.encoder == taken;
  });
  for (const std::string& family : failed) draft.NoteCodec(Role::kRecording, family, Message{"trade.failed-proof"});
  if (!chosen.one_encode && draft.IsPlainRecording(taken))
    std::erase_if(draft.plan.targets.reasons,
                  [](const Because& reason) { return reason.choice == "recording.encoder"; });
  const Show& show = draft.request.show;
  if (show.recording_plays != Plays::kAnywhere || show.recording_encoder || chosen.one_encode) return;
  for (const char* codec : {"hevc", "av1"})
    others.push_back({Role::kRecording, codec, "", Message{"codec.plays-anywhere"}});
}

}  // namespace

void ExplainWay(PlanDraft& draft) {
  Plan& plan = draft.plan;
  const Pair& chosen = *plan.chosen;
  Targets& targets = plan.targets;
  const bool is_stream = draft.request.show.recording_is_stream;
  if (chosen.one_encode) {
    std::erase_if(targets.reasons, [](const Because& reason) { return reason.choice.starts_with("recording."); });
    const Message why{is_stream ? "target.set-in-show" : "trade.only-one-encode"};
    Explain(targets, {"recording.size", chosen.recording.settings.size.str(), why, !is_stream});
  }
  if (plan.trade.empty()) return;
  const TradePoint* heavier = nullptr;  // that was refused
  for (TradePoint& point : plan.trade) {
    point.taken = point.SameWay(PointOf(chosen, {}));
    // What B-frames and look-ahead added since is the stream's alone too.
    if (point.one_encode && !point.taken && chosen.stream.score > point.stream_score.value_or(kNotScored)) {
      Pair alone{chosen.stream, chosen.stream, {}, {}, true};
      alone.demand = DemandOf(alone, plan.capacity);
      point = PointOf(alone, point.why);
    }
    if (point.taken) {
      const Message why = point.why;
      point = PointOf(chosen, why);
      point.taken = true;
    } else if (!heavier && !point.one_encode && !point.why.key.starts_with("trade.costs")) {
      heavier = &point;
    }
  }
  if (chosen.one_encode || !draft.RecordingIsFree()) return;
  const Message why =
      heavier ? Message{"trade.best-beside",
                        {{"size", heavier->size.str()}, {"rate", heavier->rate.str()}, {"why", heavier->why}}}
              : Message{"trade.whole-picture"};
  Explain(targets, {"recording.size", chosen.recording.settings.size.str(), why, true});
  Explain(targets, {"recording.frame_rate", chosen.recording.settings.frame_rate.str(), why, true});
}

void ExplainRecordingLevel(Plan& plan) {
  if (!plan.recording_level) return;
  Targets& targets = plan.targets;
  const RecordingLevel& found = *plan.recording_level;
  const EncodeSettings& settings = plan.chosen->recording.settings;
  if (settings.rate_control != RateControl::kConstantQuality) {
    targets.warnings.push_back(
        Message{"recording-level.missed",
                {{"goal", found.goal},
                 {"why", found.trouble.empty() ? Message{"recording-level.failed-proof"} : found.trouble}}});
    return;
  }
  std::vector<Message> tried;
  for (const RecordingLevel::Step& step : found.steps)
    tried.push_back(Message{"recording-level.step", {{"level", step.level}, {"score", step.score}}});
  Explain(targets,
          {"recording.rate_control", Name(settings.rate_control), Message{"recording-level.constant-quality"}, true});
  Explain(
      targets,
      {"recording.quality_level", fmt::format("{}", *settings.quality_level),
       Message{"recording-level.found", {{"footage", found.footage}, {"goal", found.goal}, {"tried", tried}}}, true});
  Explain(targets, {"recording.bit_rate", fmt::format("{:.0f} kbit/s", plan.chosen->recording.mean_kbps),
                    Message{"recording-level.measured-rate"}, true});
}

void ExplainCodecs(PlanDraft& draft, const std::set<std::string>& failed) {
  ExplainRecordingCodecs(draft, failed);
  ExplainStreamCodecs(draft);
}

void ExplainCostToTheGame(Plan& plan) {
  const Pair& pair = *plan.chosen;
  std::vector<Option> encodes{pair.stream, pair.recording};
  for (const FurtherStream& further : pair.further) encodes.push_back(further.option);
  std::string there;
  std::set<std::string> elsewhere;
  for (const Option& encode : encodes)
    if (encode.device == "cpu")
      elsewhere.insert("the processors");
    else if (encode.bus_address == plan.capacity.game_card)
      there = encode.card_name();
    else
      elsewhere.insert(encode.card_name());
  if (EncodesBesideTheGame(pair, plan.capacity) > 0)
    plan.targets.warnings.push_back(Message{"plan.beside-the-game", {{"card", there}}});
  if (pair.demand.crossing_cores > 0)
    plan.targets.warnings.push_back(
        Message{"plan.frames-cross",
                {{"to", fmt::format("{}", fmt::join(elsewhere, " and "))}, {"cores", pair.demand.crossing_cores}}});
}

}  // namespace kettle
