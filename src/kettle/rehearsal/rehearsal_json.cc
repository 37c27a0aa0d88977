// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/rehearsal.h"
#include "kettle/units/json_fields.h"

namespace kettle {

KETTLE_JSON(RehearsalTask::File, path, container)
KETTLE_JSON(RehearsalFile, path, container, bytes, stalled, trouble, disk_full)

KETTLE_JSON(RehearsalSecond, start_seconds, late, skipped_stream, skipped_recording, dropped, stalled, stream_waiting,
            recording_waiting, send_waiting_seconds, send_blocked_share, acknowledged_kbps, round_trip_ms, connected,
            disk_kbps, longest_write_ms, disk_waiting_seconds, stream_cores, recording_cores, other_own_cores,
            device_cores, game_cores, other_cores, stolen_cores, encoder_share, gpu_share, busiest, busiest_cores)
KETTLE_JSON(RehearsalTask, footage, source_rate, seconds, queue_depth, stream, recording, one_encode, stream_processors,
            recording_processors, first, url, key, most_send_delay_seconds, audio_kbps, audio_tracks, files,
            record_from, record_to, power_cut_seconds, game, frames_csv)
KETTLE_JSON(RehearsalOutcome, seconds, late_frames, stream, recording, dropped, stalled, timeline, clock_p50_ms,
            clock_p999_ms, clock_max_ms, connection_losses, connection_trouble, simulated_ingest, files)

}  // namespace kettle
