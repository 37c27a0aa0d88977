// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "kettle/plan/plan.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

using Json = nlohmann::json;

Json EncodeJson(const Option& option, int niceness, const std::vector<int>& processors) {
  Json result = option.settings;
  result.update({{"device", option.device},
                 {"device_name", option.device_name},
                 {"niceness", niceness},
                 {"processors", processors},
                 {"headroom", option.headroom},
                 {"throughput_fps", option.throughput_fps},
                 {"cpu_cores", option.cpu_cores},
                 {"b_frames", option.b_frames},
                 {"mean_kbps", option.mean_kbps},
                 {"peak_second_kbps", option.peak_second_kbps},
                 {"quality", option.quality},
                 {"simulated", option.simulated}});
  return result;
}

Json RecordingJson(const Plan& plan) {
  if (!plan.chosen) return nullptr;
  const Pair& pair = *plan.chosen;
  Json result = pair.one_encode ? EncodeJson(pair.stream, StreamNiceness(plan.first), pair.cores.stream)
                                : EncodeJson(pair.recording, RecordingNiceness(plan.first, pair.recording.settings),
                                             pair.cores.recording);
  result["own_encode"] = !pair.one_encode;
  return result;
}

Json FurtherJson(const Plan& plan) {
  Json streams = Json::array();
  if (!plan.chosen) return streams;
  for (const FurtherStream& further : plan.chosen->further) {
    streams.push_back(EncodeJson(further.option, StreamNiceness(plan.first), {}));
    streams.back()["destinations"] = further.destinations;
  }
  return streams;
}

Message WhyNot(const Option& option, const Option& chosen, double headroom) {
  if (!option.trouble.empty()) return Verbatim(option.trouble);
  if (!option.keeps_pace(headroom))
    return Message{"plan.does-not-keep-pace", {{"percent", option.headroom * 100}, {"required", headroom * 100}}};
  if (!option.scored()) return Message{"plan.looks-not-measured"};
  if (option.score < chosen.score)
    return Message{"plan.looks-worse", {{"score", option.score}, {"chosen_score", chosen.score}}};
  if (option.cpu_cores > chosen.cpu_cores)
    return Message{
        "plan.costs-the-game",
        {{"cores", option.cpu_cores - chosen.cpu_cores}, {"points", std::max(0.0, option.score - chosen.score)}}};
  return Message{"plan.not-beside-the-other"};
}

// Of an option that "measured" has whole.
Json InShort(const Option& option) {
  return {{"encoder", option.settings.encoder},
          {"preset", option.settings.preset},
          {"device_index", option.settings.device},
          {"simulated", option.simulated},
          {"throughput_fps", option.throughput_fps},
          {"headroom", option.headroom},
          {"score", option.scored() ? Json(option.score) : Json()}};
}

Json PresetEvidence(const Plan& plan, Role role, const Option& chosen) {
  Json rejected = Json::array();
  for (const Option& option : plan.options[static_cast<int>(role)]) {
    if (option.title() == chosen.title()) continue;
    Json entry = InShort(option);
    entry["why"] = WhyNot(option, chosen, plan.capacity.headroom);
    rejected.push_back(std::move(entry));
  }
  return {{"choice", std::string(Name(role)) + ".preset"},
          {"value", chosen.title()},
          {"why", Message{"plan.best-preset", {{"score", chosen.score}, {"fps", chosen.throughput_fps}}}},
          {"measured", true},
          {"simulated", chosen.simulated},
          {"evidence", InShort(chosen)},
          {"rejected", rejected}};
}

Message WhyNotPair(const Plan& plan, const Pair& pair, const Pair& chosen) {
  for (const Attempt& attempt : plan.proving.attempts)
    if (!attempt.proof.holds() && SameSettings(attempt.pair, pair)) return Message{"plan.proof-failed"};
  if (pair.stream.score < chosen.stream.score)
    return Message{"plan.stream-looks-worse", {{"score", pair.stream.score}, {"chosen_score", chosen.stream.score}}};
  return Message{"plan.leaves-game-less",
                 {{"cores", pair.demand.cpu_cores}, {"chosen_cores", chosen.demand.cpu_cores}}};
}

Json PlacementEvidence(const Plan& plan, const Pair& chosen) {
  Json outdone = Json::array();
  for (const Pair& pair : plan.placement.feasible) {
    if (SameSettings(pair, chosen)) continue;
    outdone.push_back({{"stream", pair.stream.title()},
                       {"recording", pair.recording.title()},
                       {"demand", pair.demand},
                       {"stream_score", pair.stream.score},
                       {"recording_score", pair.recording.scored() ? Json(pair.recording.score) : Json()},
                       {"why", WhyNotPair(plan, pair, chosen)}});
  }
  return {
      {"choice", "placement"},
      {"value", chosen.one_encode ? fmt::format("stream on the {}, recorded as it is", PlaceIn(chosen, chosen.stream))
                                  : fmt::format("stream on the {}, recording on the {}", PlaceIn(chosen, chosen.stream),
                                                PlaceIn(chosen, chosen.recording))},
      {"why", Message{"plan.demand",
                      {{"cores", chosen.demand.cpu_cores},
                       {"all_cores", plan.capacity.cpu_cores},
                       {"percent", chosen.demand.engine_share * 100}}}},
      {"measured", true},
      {"evidence", chosen.demand},
      {"rejected", plan.placement.rejected},
      {"outdone", outdone}};
}

Json Attempts(const Plan& plan) {
  Json attempts = Json::array();
  for (const Attempt& attempt : plan.proving.attempts) {
    Json entry = attempt;
    entry.update({{"stream", StreamTitles(attempt.pair)},
                  {"recording", attempt.pair.recording.title()},
                  {"room", attempt.room(plan.capacity)}});
    attempts.push_back(std::move(entry));
  }
  return attempts;
}

Json BecauseJson(const Plan& plan) {
  Json because = plan.targets.reasons;
  if (!plan.chosen) return because;
  because.push_back(PlacementEvidence(plan, *plan.chosen));
  because.push_back(PresetEvidence(plan, Role::kStream, plan.chosen->stream));
  if (!plan.chosen->one_encode) because.push_back(PresetEvidence(plan, Role::kRecording, plan.chosen->recording));
  return because;
}

// Reasons with evidence are made from what was measured.
void ReadBecause(const Json& because, Plan& plan) {
  for (const Json& reason : because) {
    if (!reason.contains("evidence")) plan.targets.reasons.push_back(reason);
    if (reason.at("choice") == "placement") reason.at("rejected").get_to(plan.placement.rejected);
  }
}

}  // namespace

void to_json(Json& j, const Plan& plan) {
  j = {{"title", plan.title},
       {"stream",
        plan.chosen ? EncodeJson(plan.chosen->stream, StreamNiceness(plan.first), plan.chosen->cores.stream) : Json()},
       {"further_streams", FurtherJson(plan)},
       {"recording", RecordingJson(plan)},
       {"trade", plan.trade},
       {"other_codecs", plan.other_codecs},
       {"stream_gives", plan.stream_gives},
       {"game_gives", plan.game_gives},
       {"pair", plan.chosen},
       {"runner_up", plan.runner_up},
       {"verdict", Name(plan.verdict())},
       {"proof", plan.proving.attempts.empty() ? Json() : Json(plan.proving.attempts.back().proof)},
       {"attempts", Attempts(plan)},
       {"other_sharing", plan.other_sharing},
       {"disk", plan.disk},
       {"colour", plan.colour},
       {"recording_level", plan.recording_level},
       {"recording_hours", plan.recording_hours},
       {"keep_last_seconds", plan.keep_last_seconds},
       {"kept_bytes", plan.kept_bytes()},
       {"container", plan.container},
       {"over_srt", plan.over_srt},
       {"audio_kbps", plan.targets.audio.kbps()},
       {"most_b_frames", plan.targets.most_b_frames},
       {"because", BecauseJson(plan)},
       {"measured", {{"stream", plan.options[0]}, {"recording", plan.options[1]}}},
       {"pictures", plan.pictures},
       {"ladder", plan.ladder},
       {"encode_each", plan.each},
       {"line", plan.targets.budget},
       {"warnings", plan.targets.warnings},
       {"nearest", plan.nearest},
       {"required_headroom", plan.capacity.headroom},
       {"first", plan.first},
       {"capacity", plan.capacity},
       {"under_load", plan.under_load},
       {"trials", {{"used", plan.trials}, {"grid", plan.grid}, {"measured", plan.measured}, {"reused", plan.reused}}},
       {"simulated", plan.simulated}};
}

void from_json(const Json& j, Plan& plan) {
  j.at("title").get_to(plan.title);
  j.at("pair").get_to(plan.chosen);
  j.at("runner_up").get_to(plan.runner_up);
  j.at("attempts").get_to(plan.proving.attempts);
  KETTLE_READ_FIELDS(j, plan, trade, other_codecs, stream_gives, game_gives);
  KETTLE_READ_FIELDS(j, plan, other_sharing, disk, colour, recording_level, recording_hours, keep_last_seconds,
                     container);
  plan.over_srt = j.value("over_srt", plan.over_srt);  // an earlier version did not tell
  plan.targets.audio = BitRate::FromKbps(j.at("audio_kbps"));
  j.at("most_b_frames").get_to(plan.targets.most_b_frames);
  ReadBecause(j.at("because"), plan);
  j.at("measured").at("stream").get_to(plan.options[0]);
  j.at("measured").at("recording").get_to(plan.options[1]);
  j.at("pictures").get_to(plan.pictures);
  j.at("ladder").get_to(plan.ladder);
  j.at("encode_each").get_to(plan.each);
  j.at("line").get_to(plan.targets.budget);
  j.at("warnings").get_to(plan.targets.warnings);
  KETTLE_READ_FIELDS(j, plan, nearest, first, capacity, under_load);
  const Json& trials = j.at("trials");
  trials.at("used").get_to(plan.trials);
  KETTLE_READ_FIELDS(trials, plan, grid, measured, reused);
  j.at("simulated").get_to(plan.simulated);
}

}  // namespace kettle
