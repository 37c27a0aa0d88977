// SPDX-License-Identifier: Apache-2.0
// What a worker process is asked to measure, and what it answers. Plain values; JSON beside them.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/encoders/versions.h"
#include "kettle/evidence/reference_encode.h"
#include "kettle/quality/pooling.h"
#include "kettle/quality/score_sampling.h"
#include "kettle/realtime/packet_log.h"

namespace kettle {

// One unpaced encode: frames as fast as the encoder takes them.
struct EncodeTask {
  EncodeSettings settings;
  std::string footage;          // Y4M file, played once; of a lower frame rate, every frame that it takes
  double longest_seconds = 12;  // feeding stops after this long, if 30 frames are done
  std::string output;           // Matroska file for the packets; empty: thrown away
  double least_fps = 0;         // an encode that is surely slower is of no use and is given up; 0: none is
  bool look_at_speed = false;   // with a reference encode before and one after
  // What the reference encode takes usually: where it takes more, the encode is given as much more time. 0: not known.
  double usual_reference_seconds = 0;
};
struct EncodeOutcome {
  int frames = 0;              // measured
  int fed_frames = 0;          // with those of the warm-up
  double seconds = 0;          // first measured frame in to last packet out
  double busy_seconds = 0;     // with the warm-up
  double scaling_seconds = 0;  // of a processor, to bring one picture to the encode's size and format
  bool truncated = false;      // stopped early: slower than `longest_seconds` or `least_fps` allows
  double mean_kbps = 0, peak_second_kbps = 0;
  Latency latency;
  int b_frames = 0;         // the most in a row that the encoder made
  std::string device_name;  // the GPU's own name, if it has one
  std::string bus_address;  // where the GPU sits; empty: a processor, or nothing tells
  Versions versions;
  std::vector<SlowDown> slow_downs;  // at most one
  std::optional<ReferenceLook> before, after;
};

// A reference encode by itself, after a while.
struct LookTask {
  double wait_seconds = 0;
};
struct LookOutcome {
  std::optional<ReferenceLook> look;
};

// One encode for long, as fast as it goes, in windows: does it slow down as the machine heats up?
struct SoakTask {
  EncodeSettings settings;
  std::string footage;  // Y4M file, played over and over
  double seconds = 600, window_seconds = 10;
};
struct SoakWindow {
  double start_seconds = 0, fps = 0;
  std::int64_t throttle_events = 0;
  double stolen_cores = 0, other_cores = 0;
};
struct SoakOutcome {
  std::vector<SoakWindow> windows;
  std::string device_name;
};

// Compares an encoded file with its source.
struct QualityTask {
  std::string reference;  // Y4M file
  std::string encoded;
  FrameRate encoded_rate;
  int frames = 0;          // of the reference, from its first
  FrameSize viewing_size;  // 0x0: the reference's
  int scored_a_second = kScoredASecond;
};
struct QualityOutcome {
  Quality quality;
  std::vector<PictureMetrics> frames;
};

// Opens an encoder and encodes a few frames: does it work here?
struct ProbeTask {
  EncodeSettings settings;
};
struct ProbeOutcome {
  bool works = false;
  std::string reason;  // why not, for the user
  std::string device_name, bus_address;
};

// How far a working encoder goes.
struct LimitsOutcome {
  int at_once = 0;            // encodes open at the same time; 0: not tried
  bool more_at_once = false;  // as many as were tried: there may be more
  FrameSize largest;          // of the usual sizes
  bool b_frames = false, ten_bit = false;
};

void to_json(nlohmann::json&, const EncodeTask&);
void from_json(const nlohmann::json&, EncodeTask&);
void to_json(nlohmann::json&, const EncodeOutcome&);
void from_json(const nlohmann::json&, EncodeOutcome&);
void to_json(nlohmann::json&, const SoakWindow&);
void from_json(const nlohmann::json&, SoakWindow&);
void to_json(nlohmann::json&, const LookTask&);
void from_json(const nlohmann::json&, LookTask&);
void to_json(nlohmann::json&, const LookOutcome&);
void from_json(const nlohmann::json&, LookOutcome&);
void to_json(nlohmann::json&, const SoakTask&);
void from_json(const nlohmann::json&, SoakTask&);
void to_json(nlohmann::json&, const SoakOutcome&);
void from_json(const nlohmann::json&, SoakOutcome&);
void to_json(nlohmann::json&, const QualityTask&);
void from_json(const nlohmann::json&, QualityTask&);
void to_json(nlohmann::json&, const QualityOutcome&);
void from_json(const nlohmann::json&, QualityOutcome&);
void to_json(nlohmann::json&, const ProbeTask&);
void from_json(const nlohmann::json&, ProbeTask&);
void to_json(nlohmann::json&, const ProbeOutcome&);
void from_json(const nlohmann::json&, ProbeOutcome&);
void to_json(nlohmann::json&, const LimitsOutcome&);
void from_json(const nlohmann::json&, LimitsOutcome&);

}  // namespace kettle
