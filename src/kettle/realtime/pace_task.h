// SPDX-License-Identifier: Apache-2.0
// What a run in real time is asked, and what it answers. Plain values; JSON beside them.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/realtime/packet_log.h"
#include "kettle/units/units.h"

namespace kettle {

// A paced run: frames released by the clock to one or several encoders at once.
struct PacedOutputTask {
  EncodeSettings settings;
  std::string output;  // .flv or .mkv; empty: thrown away
  int niceness = 0;    // LaneRequest
  std::vector<int> processors = {};
};
struct PaceTask {
  std::vector<std::string> footage;  // Y4M files of one size and rate, played in turn
  FrameRate source_rate;
  double seconds = 10;
  int queue_depth = 6;  // frames; four times as many in the first second
  std::vector<PacedOutputTask> outputs;
  int session_niceness = 0;  // SetSessionNiceness
  int sound_kbps = 0;        // of one track, encoded beside the pictures and thrown away; 0: none
  // A second in which the process took more processors than these ends the run, after four seconds at least; 0: none.
  double most_cpu_cores = 0;
};
struct PacedFrame {
  int frame = 0;         // index in the output
  double due_ms = 0;     // after the run's start
  double taken_ms = -1;  // from due until the encoder had taken it; below zero: skipped

  bool skipped() const { return taken_ms < 0; }
};
struct PacedOutputOutcome {
  int niceness = 0;       // that its threads had, over the program's own
  int frames = 0;         // due
  int skipped = 0;        // the encoder's queue was full
  int packets = 0;        // that came out of the encoder
  int deepest_queue = 0;  // after the first second
  double mean_kbps = 0, peak_second_kbps = 0;
  Latency latency;
  std::vector<PacedFrame> frame_times;
  std::string failed;         // why the encode ended early: no frame after that was coded; empty: it did not
  double failed_seconds = 0;  // after the run's start
};
struct PaceOutcome {
  double seconds = 0;            // of footage
  bool ended_early = false;      // PaceTask::most_cpu_cores
  int late = 0;                  // frames that the source released more than one frame interval after they were due
  double busiest_cpu_cores = 0;  // of the whole process, in its busiest second; 0: the run was no second long
  std::vector<PacedOutputOutcome> outputs;
};

void to_json(nlohmann::json&, const PacedOutputOutcome&);
void from_json(const nlohmann::json&, PacedOutputOutcome&);
void to_json(nlohmann::json&, const PaceTask&);
void from_json(const nlohmann::json&, PaceTask&);
void to_json(nlohmann::json&, const PaceOutcome&);
void from_json(const nlohmann::json&, PaceOutcome&);

}  // namespace kettle
