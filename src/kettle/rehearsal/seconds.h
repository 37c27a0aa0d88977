// SPDX-License-Identifier: Apache-2.0
// What happened in each second of a rehearsal.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "kettle/device/gpu_meter.h"
#include "kettle/machine/conditions.h"
#include "kettle/machine/cpu_time.h"
#include "kettle/units/clock.h"

namespace kettle {

// The way to one ingest in it.
struct SendSecond {
  int dropped = 0;             // pictures
  double waiting_seconds = 0;  // of a message in the send queue, at most
  double blocked_share = 0;    // of the time: the line took nothing more, 0..1
  double acknowledged_kbps = 0, round_trip_ms = 0;
  bool connected = true;
};

struct RehearsalSecond {
  double start_seconds = 0;
  // Frames lost in it, by what was at fault.
  int late = 0, skipped_stream = 0, skipped_recording = 0, dropped = 0, stalled = 0;
  int stream_waiting = 0, recording_waiting = 0;  // frames before the encoders, at its end
  // Of several ingests the worst, but for `dropped`, which is of all.
  double send_waiting_seconds = 0, send_blocked_share = 0, acknowledged_kbps = 0, round_trip_ms = 0;
  bool connected = true;
  std::vector<SendSecond> ingests;  // in the order of the outcome's
  double disk_kbps = 0, longest_write_ms = 0, disk_waiting_seconds = 0;
  // Processors used, by part of the rehearsal, and by the rest of the machine.
  double stream_cores = 0, recording_cores = 0, other_own_cores = 0, device_cores = 0, game_cores = 0;
  double other_cores = 0, stolen_cores = 0;
  double encoder_share = 0, gpu_share = 0;  // of the busiest GPU's encode engine and shader units, 0..1
  std::string busiest;                      // the other program that used most, if it used a tenth of a core
  double busiest_cores = 0;
};

// Counts since the start; the meter makes seconds of them.
struct RehearsalCounts {
  int late = 0, skipped_stream = 0, skipped_recording = 0, stalled = 0;
  std::int64_t written_bytes = 0;
};

// Names of the threads that encode, which their encoders' own threads share.
inline constexpr const char *kStreamThread = "stream", *kRecordingThread = "recording";

// Who used the processors and GPUs between two calls. Reads /proc, and asks the GPUs' drivers.
class CoreMeter {
 public:
  // `game` are names of processes that count as the game, `own` of those that belong to the rehearsal.
  CoreMeter(std::set<std::string> game, std::set<std::string> own);
  // Fills the cores since the last call, or the start.
  void Read(double seconds, RehearsalSecond& second);

 private:
  std::set<std::string> game_, own_;
  std::map<int, ProcessTime> threads_;
  ConditionSample sample_;
  GpuMeter gpus_;
};

// seconds.csv: one row a second.
std::string SecondsCsv(const std::vector<RehearsalSecond>& seconds);

}  // namespace kettle
