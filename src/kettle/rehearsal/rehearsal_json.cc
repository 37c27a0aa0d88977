// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/rehearsal.h"
#include "kettle/units/json_fields.h"

namespace kettle {

KETTLE_JSON(RehearsalTask::File, path, container)
KETTLE_JSON(RehearsalFile, path, container, bytes, stalled, trouble, disk_full)

KETTLE_JSON(SendSecond, dropped, waiting_seconds, blocked_share, acknowledged_kbps, round_trip_ms, connected)
KETTLE_JSON(RehearsalSecond, start_seconds, late, skipped_stream, skipped_recording, dropped, stalled, stream_waiting,
            recording_waiting, send_waiting_seconds, send_blocked_share, acknowledged_kbps, round_trip_ms, connected,
            ingests, disk_kbps, longest_write_ms, disk_waiting_seconds, stream_cores, recording_cores, other_own_cores,
            device_cores, game_cores, other_cores, stolen_cores, encoder_share, gpu_share, busiest, busiest_cores)
KETTLE_JSON(RehearsalTask, footage, source_rate, seconds, queue_depth, stream, recording, one_encode, stream_processors,
            recording_processors, first, further_streams, ingests, most_send_delay_seconds, audio_kbps, audio_tracks,
            files, record_from, record_to, power_cut_seconds, keep_last_seconds, save_at_seconds, save, game,
            frames_csv)
KETTLE_JSON(RehearsalOutcome, seconds, late_frames, stream, recording, further, stalled, timeline, clock_p50_ms,
            clock_p999_ms, clock_max_ms, ingests, files, kept_bytes, saved, frames_trouble)

}  // namespace kettle
