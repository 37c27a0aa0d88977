// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/pace_task.h"

#include "kettle/units/json_fields.h"

namespace kettle {

KETTLE_JSON(PacedOutputTask, settings, output, niceness, processors)

// As three numbers: a long run has hundreds of thousands of them.
void to_json(nlohmann::json& json, const PacedFrame& frame) {
  json = nlohmann::json::array({frame.frame, frame.due_ms, frame.taken_ms});
}
void from_json(const nlohmann::json& json, PacedFrame& frame) {
  if (json.is_object())  // a rehearsal of an earlier version
    frame = {WholeNumber<int>(json.at("frame")), json.at("due_ms").get<double>(), json.at("taken_ms").get<double>()};
  else
    frame = {WholeNumber<int>(json.at(0)), json.at(1).get<double>(), json.at(2).get<double>()};
}

void to_json(nlohmann::json& json, const PacedOutputOutcome& o) {
  KETTLE_WRITE_FIELDS(json, o, niceness, frames, skipped, packets, deepest_queue, mean_kbps, peak_second_kbps, latency,
                      frame_times, failed, failed_seconds);
}
void from_json(const nlohmann::json& json, PacedOutputOutcome& o) {
  KETTLE_READ_FIELDS(json, o, niceness, frames, skipped, packets, deepest_queue, mean_kbps, peak_second_kbps, latency,
                     frame_times);
  o.failed = json.value("failed", "");  // of an earlier version no encode failed alone
  o.failed_seconds = json.value("failed_seconds", 0.0);
}
KETTLE_JSON(PaceTask, footage, source_rate, seconds, queue_depth, outputs, session_niceness, sound_kbps, most_cpu_cores)
KETTLE_JSON(PaceOutcome, seconds, ended_early, late, busiest_cpu_cores, outputs)

}  // namespace kettle
