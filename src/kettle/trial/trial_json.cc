// SPDX-License-Identifier: Apache-2.0
#include <array>
#include <nlohmann/json.hpp>

#include "kettle/store/json_text.h"
#include "kettle/trial/trial.h"
#include "kettle/units/digest.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

WorkerStatus StatusFrom(const std::string& name) {
  for (const WorkerStatus status : {WorkerStatus::kDone, WorkerStatus::kFailed, WorkerStatus::kCrashed,
                                    WorkerStatus::kTimedOut, WorkerStatus::kMalformed, WorkerStatus::kWrongOutput})
    if (name == Name(status)) return status;
  FailInput("\"{}\" is not a trial's status", name);
}

nlohmann::json TimingJson(const TrialTiming& t) {
  return {{"encoding_seconds", t.encoding},
          {"starting_seconds", t.starting},
          {"quality_seconds", t.quality},
          {"total_seconds", t.total}};
}

}  // namespace

KETTLE_JSON(Repeat, throughput_fps, cpu_cores, other_cores, stolen_cores, throttle_events, busiest)

std::string Trial::id() const { return HexDigest(JsonText(nlohmann::json(settings)) + "|" + footage_key); }

void to_json(nlohmann::json& json, const Trial& t) {
  json = {
      {"settings", t.settings},       {"footage", t.footage},     {"footage_key", t.footage_key}, {"device", t.device},
      {"device_name", t.device_name}, {"simulated", t.simulated}, {"status", Name(t.status)},     {"detail", t.detail}};
  json["timing"] = TimingJson(t.timing);
  if (!t.driver_words.empty()) json["driver_words"] = t.driver_words;
  if (!t.done()) return;
  json.update({{"frames", t.frames},
               {"truncated", t.truncated},
               {"throughput_fps", t.throughput_fps},
               {"headroom", t.headroom},
               {"cpu_cores", t.cpu_cores},
               {"feeding_cores", t.feeding_cores},
               {"stand_in_cores", t.stand_in_cores},
               {"other_cores", t.other_cores},
               {"stolen_cores", t.stolen_cores},
               {"mean_kbps", t.mean_kbps},
               {"peak_second_kbps", t.peak_second_kbps},
               {"latency", t.latency},
               {"peak_memory_bytes", t.peak_memory_bytes},
               {"b_frames", t.b_frames},
               {"repeats", t.repeats},
               {"marks", t.marks()}});
  if (t.interval) json["interval"] = *t.interval;
  if (t.slow_down) json["slow_down"] = {{"frame", t.slow_down->frame}, {"factor", t.slow_down->factor}};
  if (t.quality) json["quality"] = *t.quality;
}

void from_json(const nlohmann::json& json, Trial& t) {
  json.at("settings").get_to(t.settings);
  json.at("footage").get_to(t.footage);
  json.at("footage_key").get_to(t.footage_key);
  json.at("device").get_to(t.device);
  json.at("device_name").get_to(t.device_name);
  json.at("simulated").get_to(t.simulated);
  t.status = StatusFrom(json.at("status"));
  json.at("detail").get_to(t.detail);
  t.driver_words = json.value("driver_words", "");
  const auto& timing = json.at("timing");
  t.timing = {timing.at("encoding_seconds"), timing.at("starting_seconds"), timing.at("quality_seconds"),
              timing.at("total_seconds")};
  if (!t.done()) return;
  json.at("frames").get_to(t.frames);
  json.at("truncated").get_to(t.truncated);
  json.at("throughput_fps").get_to(t.throughput_fps);
  json.at("headroom").get_to(t.headroom);
  json.at("cpu_cores").get_to(t.cpu_cores);
  json.at("feeding_cores").get_to(t.feeding_cores);
  json.at("stand_in_cores").get_to(t.stand_in_cores);
  json.at("other_cores").get_to(t.other_cores);
  json.at("stolen_cores").get_to(t.stolen_cores);
  json.at("mean_kbps").get_to(t.mean_kbps);
  json.at("peak_second_kbps").get_to(t.peak_second_kbps);
  json.at("latency").get_to(t.latency);
  json.at("peak_memory_bytes").get_to(t.peak_memory_bytes);
  json.at("b_frames").get_to(t.b_frames);
  json.at("repeats").get_to(t.repeats);
  if (json.contains("interval")) t.interval = json["interval"].get<double>();
  if (json.contains("slow_down")) t.slow_down = SlowDown{json["slow_down"].at("frame"), json["slow_down"].at("factor")};
  if (json.contains("quality")) t.quality = json["quality"].get<Quality>();
}

void to_json(nlohmann::json& json, const PacedTrial& t) {
  json = {{"settings", t.settings},   {"footage", t.footage}, {"simulated", t.simulated},
          {"status", Name(t.status)}, {"detail", t.detail},   {"frames", t.frames},
          {"late", t.late},           {"skipped", t.skipped}, {"deepest_queue", t.deepest_queue},
          {"latency", t.latency}};
}

}  // namespace kettle
