// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/tasks.h"

#include "kettle/units/json_fields.h"

namespace kettle {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(PacedOutputTask, settings, output, niceness, processors)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(SlowDown, frame, factor)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(SoakWindow, start_seconds, fps, throttle_events, stolen_cores, other_cores)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(PacedFrame, frame, due_ms, taken_ms)

KETTLE_JSON(Latency, p50_ms, p99_ms, max_ms)
KETTLE_JSON(EncodeTask, settings, footage, longest_seconds, output)
KETTLE_JSON(EncodeOutcome, frames, fed_frames, seconds, busy_seconds, truncated, mean_kbps, peak_second_kbps, latency,
            b_frames, device_name, slow_downs)
KETTLE_JSON(SoakTask, settings, footage, seconds, window_seconds)
KETTLE_JSON(SoakOutcome, windows, device_name)
KETTLE_JSON(PacedOutputOutcome, niceness, frames, skipped, packets, deepest_queue, mean_kbps, peak_second_kbps, latency,
            frame_times)
KETTLE_JSON(PaceTask, footage, source_rate, seconds, queue_depth, outputs, session_niceness)
KETTLE_JSON(PaceOutcome, seconds, late, busiest_cpu_cores, outputs)
KETTLE_JSON(QualityTask, reference, encoded, encoded_rate, frames, viewing_size)
KETTLE_JSON(QualityOutcome, quality, frames)
KETTLE_JSON(ProbeTask, settings)
KETTLE_JSON(ProbeOutcome, works, reason, device_name)
KETTLE_JSON(LimitsOutcome, at_once, more_at_once, largest, b_frames, ten_bit)

}  // namespace kettle
