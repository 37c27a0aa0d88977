// SPDX-License-Identifier: Apache-2.0
#include <nlohmann/json.hpp>

#include "kettle/diagnosis/diagnosis.h"
#include "kettle/units/json_fields.h"

namespace kettle {

void to_json(nlohmann::json& json, const Diagnosis& diagnosis) {
  json = {{"stretches", nlohmann::json::array()}, {"cures", nlohmann::json::array()}};
  for (const LossStretch& s : diagnosis.stretches) {
    nlohmann::json entry = {{"loss", Name(s.loss)},       {"cause", Name(s.cause)}, {"from_seconds", s.from_seconds},
                            {"to_seconds", s.to_seconds}, {"frames", s.frames},     {"why", s.why}};
    if (!s.program.empty()) entry["program"] = s.program;
    if (!s.ingest.empty()) entry["ingest"] = s.ingest;
    json["stretches"].push_back(std::move(entry));
  }
  for (const Diagnosis::Cure& cure : diagnosis.cures) {
    nlohmann::json entry = {{"cause", Name(cure.cause)},
                            {"frames", cure.frames},
                            {"do", cure.action},
                            {"costs", cure.step ? nlohmann::json(cure.step->costs) : nlohmann::json()},
                            {"lower_bit_rate_helps", cure.lower_bit_rate_helps}};
    if (!cure.ingest.empty()) entry["ingest"] = cure.ingest;
    json["cures"].push_back(std::move(entry));
  }
}

void to_json(nlohmann::json& json, const DiagnosisFacts& facts) {
  json = {{"cpu_cores", facts.cpu_cores},
          {"stream_kbps", facts.stream_kbps},
          {"stream_on_gpu", facts.stream_on_gpu},
          {"recording_on_gpu", facts.recording_on_gpu},
          {"game", facts.game},
          {"game_gives", facts.game_gives}};
}

void from_json(const nlohmann::json& json, DiagnosisFacts& facts) {
  KETTLE_READ_FIELDS(json, facts, cpu_cores, stream_kbps, stream_on_gpu, recording_on_gpu);
  if (!json.contains("game")) return;  // an earlier version did not ask
  KETTLE_READ_FIELDS(json, facts, game, game_gives);
}

}  // namespace kettle
