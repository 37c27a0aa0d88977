// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/tasks.h"

#include "kettle/units/json_fields.h"

namespace kettle {

KETTLE_JSON(SoakWindow, start_seconds, fps, throttle_events, stolen_cores, other_cores)

KETTLE_JSON(EncodeTask, settings, footage, longest_seconds, output, least_fps, look_at_speed, usual_reference_seconds)
KETTLE_JSON(EncodeOutcome, frames, fed_frames, seconds, busy_seconds, scaling_seconds, truncated, mean_kbps,
            peak_second_kbps, latency, b_frames, device_name, bus_address, versions, slow_downs, before, after)
KETTLE_JSON(LookTask, wait_seconds)
KETTLE_JSON(LookOutcome, look)
KETTLE_JSON(SoakTask, settings, footage, seconds, window_seconds)
KETTLE_JSON(SoakOutcome, windows, device_name)
KETTLE_JSON(QualityTask, reference, encoded, encoded_rate, frames, viewing_size, scored_a_second)
KETTLE_JSON(QualityOutcome, quality, frames)
KETTLE_JSON(ProbeTask, settings)
KETTLE_JSON(ProbeOutcome, works, reason, device_name, bus_address)
KETTLE_JSON(LimitsOutcome, at_once, more_at_once, largest, b_frames, ten_bit)

}  // namespace kettle
