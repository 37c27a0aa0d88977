// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "kettle/plan/plan.h"

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

Json DemandJson(const Demand& demand) {
  return {{"cpu_cores", demand.cpu_cores},
          {"stand_in_cores", demand.stand_in_cores},
          {"engine_share", demand.engine_share},
          {"memory_bytes_per_second", demand.memory_bytes_per_second},
          {"disk_bytes_per_second", demand.disk_bytes_per_second},
          {"fits", demand.fits},
          {"predicted", true}};
}

Message WhyNot(const Option& option, const Option& chosen, double headroom) {
  if (!option.trouble.empty()) return Verbatim(option.trouble);
  if (!option.keeps_pace(headroom))
    return Message{"plan.does-not-keep-pace", {{"percent", option.headroom * 100}, {"required", headroom * 100}}};
  if (option.score < chosen.score)
    return Message{"plan.looks-worse", {{"score", option.score}, {"chosen_score", chosen.score}}};
  return Message{"plan.not-beside-the-other"};
}

Json PresetEvidence(const Plan& plan, Role role, const Option& chosen) {
  Json rejected = Json::array();
  for (const Option& option : plan.options[static_cast<int>(role)]) {
    if (option.title() == chosen.title()) continue;
    Json entry = option;
    entry["why"] = WhyNot(option, chosen, plan.capacity.headroom);
    rejected.push_back(std::move(entry));
  }
  return {{"choice", std::string(Name(role)) + ".preset"},
          {"value", chosen.title()},
          {"why", Message{"plan.best-preset", {{"score", chosen.score}, {"fps", chosen.throughput_fps}}}},
          {"measured", true},
          {"simulated", chosen.simulated},
          {"evidence", chosen},
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
  Json rejected = Json::array();
  for (const RejectedPair& pair : plan.placement.rejected) {
    Json entry = {{"stream", pair.stream}, {"recording", pair.recording}, {"why", pair.why}};
    if (pair.demand) entry["demand"] = DemandJson(*pair.demand);
    rejected.push_back(std::move(entry));
  }
  for (const Pair& pair : plan.placement.feasible) {
    if (SameSettings(pair, chosen)) continue;
    rejected.push_back({{"stream", pair.stream.title()},
                        {"recording", pair.recording.title()},
                        {"demand", DemandJson(pair.demand)},
                        {"stream_score", pair.stream.score},
                        {"recording_score", pair.recording.score},
                        {"why", WhyNotPair(plan, pair, chosen)}});
  }
  return {
      {"choice", "placement"},
      {"value", fmt::format("stream on the {}, recording on the {}", chosen.stream.place(), chosen.recording.place())},
      {"why", Message{"plan.demand",
                      {{"cores", chosen.demand.cpu_cores},
                       {"all_cores", plan.capacity.cpu_cores},
                       {"percent", chosen.demand.engine_share * 100}}}},
      {"measured", true},
      {"evidence", DemandJson(chosen.demand)},
      {"rejected", rejected}};
}

Json Attempts(const Plan& plan) {
  Json attempts = Json::array();
  for (const Attempt& attempt : plan.proving.attempts)
    attempts.push_back({{"stream", attempt.pair.stream.title()},
                        {"recording", attempt.pair.recording.title()},
                        {"stream_settings", attempt.pair.stream.settings},
                        {"recording_settings", attempt.pair.recording.settings},
                        {"room", attempt.room(plan.capacity)},
                        {"demand", DemandJson(attempt.pair.demand)},
                        {"proof", attempt.proof}});
  return attempts;
}

Json SharingJson(const Attempt& attempt) {
  return {{"stream_processors", attempt.pair.cores.stream},
          {"recording_processors", attempt.pair.cores.recording},
          {"proof", attempt.proof}};
}

Json Pictures(const Plan& plan) {
  Json pictures = Json::array();
  for (const TriedPicture& tried : plan.pictures) {
    Json entry = {{"size", tried.size}, {"frame_rate", tried.rate}, {"keeps_pace", tried.best.has_value()}};
    if (tried.best)
      entry.update({{"encoder", tried.best->settings.encoder},
                    {"preset", tried.best->settings.preset},
                    {"score", tried.best->score},
                    {"headroom", tried.best->headroom},
                    {"measured_on_all", tried.best->measured}});
    pictures.push_back(std::move(entry));
  }
  return pictures;
}

}  // namespace

void to_json(Json& j, const Plan& plan) {
  Json because = Json::array();
  for (const Because& reason : plan.targets.reasons)
    because.push_back(
        {{"choice", reason.choice}, {"value", reason.value}, {"why", reason.why}, {"measured", reason.measured}});
  if (plan.chosen) {
    because.push_back(PlacementEvidence(plan, *plan.chosen));
    because.push_back(PresetEvidence(plan, Role::kStream, plan.chosen->stream));
    because.push_back(PresetEvidence(plan, Role::kRecording, plan.chosen->recording));
  }
  j = {{"title", plan.title},
       {"stream",
        plan.chosen ? EncodeJson(plan.chosen->stream, StreamNiceness(plan.first), plan.chosen->cores.stream) : Json()},
       {"recording",
        plan.chosen ? EncodeJson(plan.chosen->recording, RecordingNiceness(plan.first, plan.chosen->recording.settings),
                                 plan.chosen->cores.recording)
                    : Json()},
       {"verdict", Name(plan.verdict())},
       {"proof", plan.proving.attempts.empty() ? Json() : Json(plan.proving.attempts.back().proof)},
       {"attempts", Attempts(plan)},
       {"other_sharing", plan.other_sharing ? SharingJson(*plan.other_sharing) : Json()},
       {"disk", plan.disk ? Json(*plan.disk) : Json()},
       {"colour", plan.colour ? Json(*plan.colour) : Json()},
       {"recording_level", plan.recording_level ? Json(*plan.recording_level) : Json()},
       {"because", because},
       {"pictures", Pictures(plan)},
       {"calm_clips", plan.calm},
       {"ladder", plan.ladder},
       {"encode_each", plan.each ? Json(*plan.each) : Json()},
       {"line", plan.targets.budget ? Json(*plan.targets.budget) : Json()},
       {"warnings", plan.targets.warnings},
       {"nearest", plan.nearest},
       {"required_headroom", plan.capacity.headroom},
       {"first", plan.first},
       {"capacity",
        {{"cpu_cores", plan.capacity.cpu_cores},
         {"memory_bytes_per_second", plan.capacity.memory_bytes_per_second},
         {"disk_bytes_per_second", plan.capacity.disk_bytes_per_second}}},
       {"trials", {{"used", plan.trials}, {"grid", plan.grid}}},
       {"simulated", plan.simulated}};
}

}  // namespace kettle
