// SPDX-License-Identifier: Apache-2.0
#include <nlohmann/json.hpp>

#include "kettle/store/json_text.h"
#include "kettle/trial/trial.h"
#include "kettle/units/digest.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

nlohmann::json TimingJson(const TrialTiming& t) {
  return {{"encoding_seconds", t.encoding},
          {"starting_seconds", t.starting},
          {"quality_seconds", t.quality},
          {"total_seconds", t.total}};
}

}  // namespace

void to_json(nlohmann::json& json, const Repeat& r) {
  KETTLE_WRITE_FIELDS(json, r, throughput_fps, cpu_cores, other_cores, stolen_cores, throttle_events, busiest, began,
                      before, after);
}

// Files from before there were reference encodes are read too.
void from_json(const nlohmann::json& json, Repeat& r) {
  KETTLE_READ_FIELDS(json, r, throughput_fps, cpu_cores, other_cores, stolen_cores, throttle_events, busiest);
  r.began = json.value("began", 0.0);
  if (json.contains("before")) json["before"].get_to(r.before);
  if (json.contains("after")) json["after"].get_to(r.after);
}

std::string Trial::id() const { return HexDigest(JsonText(nlohmann::json(settings)) + "|" + footage_key); }

void to_json(nlohmann::json& json, const Trial& t) {
  json = {
      {"settings", t.settings},       {"footage", t.footage},     {"footage_key", t.footage_key}, {"device", t.device},
      {"device_name", t.device_name}, {"simulated", t.simulated}, {"status", Name(t.status)},     {"detail", t.detail}};
  json["timing"] = TimingJson(t.timing);
  if (!t.bus_address.empty()) json["bus_address"] = t.bus_address;
  if (!t.versions.library.empty()) json["versions"] = t.versions;
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
  KETTLE_READ_FIELDS(json, t, settings, footage, footage_key, device, device_name, simulated);
  t.status = ParseWorkerStatus(json.at("status"));
  json.at("detail").get_to(t.detail);
  t.bus_address = json.value("bus_address", "");
  if (json.contains("versions")) json["versions"].get_to(t.versions);
  t.driver_words = json.value("driver_words", "");
  const auto& timing = json.at("timing");
  t.timing = {timing.at("encoding_seconds"), timing.at("starting_seconds"), timing.at("quality_seconds"),
              timing.at("total_seconds")};
  if (!t.done()) return;
  KETTLE_READ_FIELDS(json, t, frames, truncated, throughput_fps, headroom, cpu_cores, feeding_cores, stand_in_cores,
                     other_cores, stolen_cores, mean_kbps, peak_second_kbps, latency, peak_memory_bytes, b_frames,
                     repeats);
  if (json.contains("interval")) t.interval = json["interval"].get<double>();
  if (json.contains("slow_down")) t.slow_down = SlowDown{json["slow_down"].at("frame"), json["slow_down"].at("factor")};
  if (json.contains("quality")) t.quality = json["quality"].get<Quality>();
}

void to_json(nlohmann::json& json, const PacedTrial& t) {
  KETTLE_WRITE_FIELDS(json, t, settings, footage, simulated, detail, frames, late, skipped, deepest_queue, latency);
  json.update({{"status", Name(t.status)}});
}

void from_json(const nlohmann::json& json, PacedTrial& t) {
  KETTLE_READ_FIELDS(json, t, settings, footage, simulated);
  t.status = ParseWorkerStatus(json.at("status"));
  KETTLE_READ_FIELDS(json, t, detail, frames, late, skipped, deepest_queue, latency);
}

}  // namespace kettle
