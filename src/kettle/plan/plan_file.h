// SPDX-License-Identifier: Apache-2.0
// A plan as it was written: what a rehearsal needs of it.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/realtime/turns.h"

namespace kettle {

// A step that gives something up, as the plan measured it.
struct PlanStep {
  std::string what;      // "x264 superfast for the stream"
  double gains_fps = 0;  // frames a second more, of the encode
  double saves_kbps = 0;
  double costs = 0;  // points of the score
  EncodeSettings settings;
  std::string device = {};  // "cpu", "gpu", where the step leads to another
};

// An encode of the stream for destinations that do not get the one of all others.
struct FurtherPlanStream {
  std::vector<std::string> destinations;
  EncodeSettings settings;
};

struct PlanFile {
  std::string title, machine_digest;
  EncodeSettings stream, recording;
  std::string stream_device, recording_device;               // "cpu", "gpu"
  std::vector<int> stream_processors, recording_processors;  // CoreShares
  First first = First::kGame;
  bool one_encode = false;   // Pair::one_encode
  double game_gives = 0.02;  // Show::game_gives
  bool simulated = false;    // one of both encodes was measured on a simulated device
  std::string stand_in_gpu;  // that device's profile, as it was given; an earlier version did not tell
  FrameSize source_size;
  FrameRate source_rate;
  std::vector<std::string> footage;  // scenes by name, clips by absolute path
  double footage_seconds = 3;
  std::string container = "matroska";  // "none": nothing is recorded
  double audio_kbps = 160;
  std::vector<std::string> destinations;                    // by name; an earlier version told none
  double keep_last_seconds = 0;                             // Show::keep_last_seconds
  double cpu_cores = 1;                                     // processors that the plan could use
  double planned_cores = 0;                                 // that all encodes take; 0: an earlier version did not tell
  std::vector<PlanStep> line;                               // for a line that does not hold, in order
  std::vector<PlanStep> stream_encoder, recording_encoder;  // faster presets of the same encoder, slowest first
  std::vector<PlanStep> recording_elsewhere;                // on another device, the best looking first
  std::vector<PlanStep> to_one_encode;                      // recording the stream's encode; empty: it is done already
  std::vector<PlanStep> to_one_stream;                      // from an encode for each destination to one for all
  std::vector<FurtherPlanStream> further_streams;           // Pair::further

  // Which encode a destination gets: 0 the stream, n the nth further one.
  int StreamFor(const std::string& destination) const;
};

// A plan's own file, where its folder was named.
std::filesystem::path PlanIn(const std::filesystem::path& place);

// From the file, or the folder with a plan in it. Throws Error(kInput) with one line: no such file, no plan, a plan
// that chose nothing.
PlanFile ReadPlanFile(const std::filesystem::path& place);

}  // namespace kettle
