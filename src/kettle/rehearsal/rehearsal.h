// SPDX-License-Identifier: Apache-2.0
// The whole pipeline in real time: source clock, both encodes, sound, the stream to an ingest, the recording to disk.
#pragma once

#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/realtime/frame_log.h"
#include "kettle/realtime/lane.h"
#include "kettle/realtime/pace_task.h"
#include "kettle/realtime/turns.h"
#include "kettle/rehearsal/kept_seconds.h"
#include "kettle/rehearsal/seconds.h"
#include "kettle/rehearsal/stream_out.h"
#include "kettle/units/clock.h"

namespace kettle {

// A rehearsal, as a worker is asked for it.
struct RehearsalTask {
  std::vector<std::string> footage;  // Y4M files of one size and rate, played in turn
  FrameRate source_rate;
  double seconds = 60;
  int queue_depth = 6;
  EncodeSettings stream, recording;
  bool one_encode = false;  // the stream's is recorded: `recording` is not opened
  std::vector<int> stream_processors = {}, recording_processors = {};  // LaneRequest
  First first = First::kGame;
  std::vector<EncodeSettings> further_streams;  // for ingests that get an encode of their own
  std::vector<RehearsalIngest> ingests;
  double most_send_delay_seconds = 1.5;  // QueueRule
  int audio_kbps = 160, audio_tracks = 1;
  struct File {
    std::string path, container;
  };
  std::vector<File> files;             // the same recording into each
  double record_from = 0;              // only that part of the show, in seconds
  double record_to = 1e9;              //
  double power_cut_seconds = 0;        // the process kills itself then; 0: never
  double keep_last_seconds = 0;        // in memory; 0: none
  double save_at_seconds = 0;          // then they are written into `save`; 0: never
  File save = {};                      //
  std::vector<std::string> game = {};  // names of processes that count as the game
  // Where frames.csv goes; the outcome then holds no times of single frames, which of hours are too many for memory.
  // Empty: the outcome holds them.
  std::string frames_csv;
};

struct RehearsalFile {
  std::string path, container;
  std::int64_t bytes = 0;
  int stalled = 0;      // pictures that waited too long for the disk, and are not in it
  std::string trouble;  // why it ended early
  bool disk_full = false;
};

struct RehearsalOutcome {
  double seconds = 0;                       // of footage
  std::vector<int> late_frames;             // of the source, by index
  PacedOutputOutcome stream, recording;     // of one encode: the recording's skips are the stream's, and count there
  std::vector<PacedOutputOutcome> further;  // RehearsalTask::further_streams
  std::vector<std::int64_t> stalled;        // pictures of the recording that are not in its first file
  std::vector<RehearsalSecond> timeline;
  double clock_p50_ms = 0, clock_p999_ms = 0, clock_max_ms = 0;  // release less due time
  std::vector<IngestOutcome> ingests;
  std::vector<RehearsalFile> files;
  std::int64_t kept_bytes = 0;  // that the last seconds took in memory, at most
  SavedSeconds saved;           // of them
  std::string frames_trouble;   // why there is no frames.csv

  // By IngestOutcome::stream; of one that there is not, the first.
  const PacedOutputOutcome& StreamOf(int encode) const {
    return encode < 1 || static_cast<std::size_t>(encode) > further.size()
               ? stream
               : further[static_cast<std::size_t>(encode) - 1];
  }
  int dropped() const;  // pictures of the stream that never were sent, over all ingests
  std::size_t DroppedOf(int encode) const;
  int connection_losses() const;
  bool simulated_ingest() const;  // one of them is
  int lost() const;               // frames, whatever the cause
  // No frame was lost, and everything went on to the end.
  bool holds() const;
};

// Throws Error(kInput) if the ingest does not take the publish, Error(kMachine) if an encoder or file does not open.
RehearsalOutcome RunRehearsal(const RehearsalTask& task, Clock& clock, const std::function<void(double)>& progress);

// frames.csv, of a log whose outputs are the stream, the recording, and the further streams; of one encode what was
// skipped counts as the stream's. Throws Error(kMachine).
void WriteFramesCsv(FrameLog& log, const std::filesystem::path& csv, const RehearsalOutcome& outcome, bool one_encode);

void to_json(nlohmann::json&, const RehearsalTask&);
void from_json(const nlohmann::json&, RehearsalTask&);
void to_json(nlohmann::json&, const RehearsalOutcome&);
void from_json(const nlohmann::json&, RehearsalOutcome&);
void to_json(nlohmann::json&, const RehearsalSecond&);
void from_json(const nlohmann::json&, RehearsalSecond&);

}  // namespace kettle
