// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/plan_file.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "kettle/input/input.h"
#include "kettle/option/option.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

using Json = nlohmann::json;

std::vector<PlanStep> LineSteps(const Json& plan, const EncodeSettings& stream) {
  std::vector<PlanStep> steps;
  for (const Json& step : plan.at("ladder")) {
    PlanStep entry{step.at("step"), 0, step.at("saves_kbps"), step.at("costs"), stream};
    const double factor = step.at("bit_rate_kbps").get<double>() / stream.bit_rate.kbps();
    entry.settings.bit_rate = BitRate::FromKbps(step.at("bit_rate_kbps"));
    entry.settings.maximum_bit_rate = BitRate::FromKbps(stream.maximum_bit_rate.kbps() * factor);
    entry.settings.size = step.at("size").get<FrameSize>();
    entry.settings.frame_rate = step.at("frame_rate").get<FrameRate>();
    steps.push_back(std::move(entry));
  }
  return steps;
}

// Those that the plan measured and rejected, of the chosen one's own encoder.
std::vector<PlanStep> FasterPresets(const Json& plan, Role role, const EncodeSettings& chosen) {
  std::vector<PlanStep> steps;
  for (const Json& reason : plan.at("because")) {
    if (reason.at("choice") != std::string(Name(role)) + ".preset") continue;
    const Json& evidence = reason.at("evidence");
    const double fps = evidence.at("throughput_fps"), score = evidence.at("score");
    for (const Json& other : reason.at("rejected")) {
      if (other.at("encoder") != chosen.encoder || other.at("device_index") != chosen.device ||
          other.at("throughput_fps") <= fps || other.at("score").is_null())
        continue;
      EncodeSettings settings = chosen;
      settings.preset = other.at("preset");
      steps.push_back({fmt::format("{} {} for the {}", chosen.encoder, settings.preset, Name(role)),
                       other.at("throughput_fps").get<double>() - fps, 0, score - other.at("score").get<double>(),
                       settings});
    }
  }
  std::sort(steps.begin(), steps.end(), [](const PlanStep& a, const PlanStep& b) { return a.gains_fps < b.gains_fps; });
  return steps;
}

// As far as it tells devices apart.
Option RecordingOf(const PlanFile& plan, const Json& measured) {
  Option recording;
  recording.settings = plan.recording;
  recording.device = plan.recording_device;
  recording.bus_address = measured.value("bus_address", "");
  recording.score = measured.at("score").get<double>();
  return recording;
}

// The recording's picture on each other device that keeps pace with it, by what the plan measured: there, what looks
// most like the one that was chosen.
std::vector<PlanStep> OtherDevices(const Json& plan, const Option& chosen) {
  std::vector<Option> nearest;  // one a device
  const auto distance = [&](const Option& option) { return std::abs(option.score - chosen.score); };
  const double headroom = plan.value("required_headroom", 0.0);
  const Json measured = plan.value("measured", Json::object()).value(Name(Role::kRecording), Json::array());
  for (const Json& entry : measured) {
    if (chosen.device == "cpu" && entry.at("device") == "cpu") continue;
    const Option option = entry;
    const EncodeSettings &settings = option.settings, &picture = chosen.settings;
    if (IsOneDevice(option, chosen) || !option.scored() || !option.keeps_pace(headroom) ||
        settings.size != picture.size || settings.frame_rate != picture.frame_rate)
      continue;
    const auto known =
        std::find_if(nearest.begin(), nearest.end(), [&](const Option& other) { return IsOneDevice(option, other); });
    if (known == nearest.end())
      nearest.push_back(option);
    else if (distance(option) < distance(*known))
      *known = option;
  }
  std::sort(nearest.begin(), nearest.end(), [](const Option& a, const Option& b) { return a.score > b.score; });
  std::vector<PlanStep> steps;
  for (const Option& option : nearest)
    steps.push_back({fmt::format("{} ({} {})", option.place(), option.settings.encoder, option.settings.preset), 0, 0,
                     chosen.score - option.score, option.settings, option.device});
  return steps;
}

// The recording then looks as the stream does.
PlanStep ToOneEncode(const Json& plan, const EncodeSettings& stream) {
  const auto score = [&](const char* role) { return plan.at("pair").at(role).at("score").get<double>(); };
  return {"the stream's own encode for the recording", 0, 0, score("recording") - score("stream"), stream};
}

// All destinations then get what the plan would have given to all.
PlanStep ToOneStream(const Json& plan, const Json& one) {
  const Option option = one;
  return {"one encode for all destinations", 0, 0,
          plan.at("pair").at("stream").at("score").get<double>() - option.score, option.settings};
}

// An earlier version did not divide them.
std::vector<int> Processors(const Json& encode) { return encode.value("processors", std::vector<int>()); }

}  // namespace

int PlanFile::StreamFor(const std::string& destination) const {
  for (std::size_t i = 0; i < further_streams.size(); ++i) {
    const std::vector<std::string>& its = further_streams[i].destinations;
    if (std::find(its.begin(), its.end(), destination) != its.end()) return static_cast<int>(i) + 1;
  }
  return 0;
}

std::filesystem::path PlanIn(const std::filesystem::path& place) {
  std::error_code error;
  return std::filesystem::is_directory(place, error) ? place / "plan.json" : place;
}

PlanFile ReadPlanFile(const std::filesystem::path& place) {
  const std::filesystem::path file = PlanIn(place);
  const Json plan = ReadJsonInput(file);
  try {
    if (plan.value("schema", "") != "fast-kettle/plan/1") FailInput("{}: not a plan of this program", file.string());
    if (plan.at("stream").is_null()) FailInput("{}: this plan chose nothing: nothing kept pace", file.string());
    if (!plan.contains("show"))
      FailInput("{}: an earlier version wrote this plan; plan again before rehearsing", file.string());
    const Json& show = plan.at("show");
    PlanFile result{plan.at("title"), plan.at("machine_digest")};
    result.stream = plan.at("stream").get<EncodeSettings>();
    result.recording = plan.at("recording").get<EncodeSettings>();
    result.stream_device = plan.at("stream").at("device");
    result.recording_device = plan.at("recording").at("device");
    result.stream_processors = Processors(plan.at("stream"));
    result.recording_processors = Processors(plan.at("recording"));
    result.one_encode = !plan.at("recording").value("own_encode", true);  // an earlier version always had two
    result.game_gives = plan.value("game_gives", result.game_gives);
    result.first = ParseFirst(plan.value("first", Name(result.first)));  // an earlier version had no other
    result.simulated = plan.at("stream").at("simulated") || plan.at("recording").at("simulated");
    result.stand_in_gpu = plan.value("stand_in_gpu", "");
    result.source_size = show.at("source_size").get<FrameSize>();
    result.source_rate = show.at("frame_rate").get<FrameRate>();
    result.footage = show.at("footage").get<std::vector<std::string>>();
    result.footage_seconds = show.at("footage_seconds");
    result.container = show.at("container");
    result.cpu_cores = show.at("cpu_cores");
    if (const Json pair = plan.value("pair", Json()); pair.is_object() && pair.contains("demand"))
      result.planned_cores = pair["demand"].value("cpu_cores", 0.0);
    result.audio_kbps = show.at("audio_kbps");
    result.destinations = show.value("destinations", std::vector<std::string>());
    for (const Json& further : plan.value("further_streams", Json::array())) {
      result.further_streams.push_back({further.at("destinations"), further.get<EncodeSettings>()});
      result.simulated = result.simulated || further.at("simulated");
    }
    if (const Json each = plan.value("encode_each", Json());
        !result.further_streams.empty() && !each.at("one").is_null())
      result.to_one_stream = {ToOneStream(plan, each.at("one"))};
    result.keep_last_seconds = show.value("keep_last_seconds", 0.0);
    result.line = LineSteps(plan, result.stream);
    result.stream_encoder = FasterPresets(plan, Role::kStream, result.stream);
    if (!result.one_encode) {
      result.recording_encoder = FasterPresets(plan, Role::kRecording, result.recording);
      if (const Json pair = plan.value("pair", Json()); !pair.is_null()) {
        result.recording_elsewhere = OtherDevices(plan, RecordingOf(result, pair.at("recording")));
        result.to_one_encode = {ToOneEncode(plan, result.stream)};
      }
    }
    return result;
  } catch (const Json::exception& error) {
    FailInput("{}: an incomplete plan: {}", file.string(), InPlainWords(error));
  }
}

}  // namespace kettle
