// SPDX-License-Identifier: Apache-2.0
// What the user typed, as plain values. Knows nothing of codecs, so that help comes at once.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "kettle/show/show.h"

namespace kettle::app {

inline constexpr const char* kVersion = KETTLE_VERSION;

// What bench combines and asks of each encode, as typed; checked where it is used.
struct BenchOptions {
  std::vector<std::string> encoders, presets, sizes, frame_rates, rate_controls, bit_rates;  // empty: as the show says
  std::vector<std::string> devices;
  std::string question;  // empty: none
  std::string like;      // an earlier bench of the history, measured again; empty: none
  std::string maximum_bit_rate, profile, chroma, adaptive_quantisation, psychovisual, multi_pass,
      scaler;  // empty: not asked
  std::optional<int> quality_level, b_frames, look_ahead, bit_depth;
  std::optional<double> buffer_seconds, keyframe_seconds;
  int repeats = 5;  // at most
  std::optional<double> budget_seconds;
  std::optional<double> soak_minutes;
  double patience_seconds = 15;  // an encoder silent for longer counts as hung
  bool dry_run = false, resume = false;
  bool paced = false;  // each in real time as well
};

// footage list, inspect, render, capture; checked where it is used.
struct FootageOptions {
  std::string size = "1280x720", frame_rate = "60", file;
  std::optional<double> seconds;  // not set: 10, or 20 of the screen
  std::string display, window;    // capture: empty: DISPLAY; the whole display
};

struct UplinkOptions {
  std::vector<std::string> to;  // addresses, or destinations by name
  std::string key_file, most;
  std::string codec;  // of the test stream; empty: one that the destinations accept
  double seconds = 20;
  std::string encoder = "x264", preset = "superfast";  // for looking at rate controls
};

struct RehearseOptions {
  double seconds = 60;
  std::vector<std::string> to;         // ingests' addresses; empty: the simulated one
  std::vector<std::string> key_files;  // one for all, or one for each
  double save_at = 0;                  // the last seconds that the plan keeps; 0: never
  std::string link;                    // of the simulated ingest
  std::string folder;                  // of the recording; empty: the output folder
  std::string container;               // empty: the plan's
  int audio_tracks = 1;
  double record_from = 0, record_to = 1e9;
  double power_cut = 0;  // 0: none
  bool anyway = false;
  std::string load;  // a load profile, or "live"
  bool climb = false;
  double game_cores = 0;    // of the simulated game; 0: none
  std::string game_frames;  // a log of a real game's frame times; empty: none
};

struct LoadOptions {
  std::optional<double> seconds;  // not set: a minute, or as long as the profile
  std::string file;               // capture: what it writes
};

// history, compare, restore, forget.
struct PastRunOptions {
  std::string kind;                 // only runs of that command; empty: of all
  std::optional<std::string> name;  // that a run shall have
  int last = 20;                    // how many are listed
};

struct WatchOptions {
  int pid = 0;  // 0: look for it
  std::string program, plan, game;
  int seconds = 0;  // 0: until it is stopped
};

struct Request {
  std::string command;
  std::string out = "kettle-out";
  bool json = false, quiet = false;
  std::string stand_in_gpu;  // a profile's name or path; empty: none
  std::string show;          // path
  ShowOverrides overrides;
  double footage_seconds =
      2;               // of each scene or clip; as long as from keyframe to keyframe, so that none counts double
  bool fresh = false;  // measure again what an earlier run in the folder measured
  BenchOptions bench;
  FootageOptions footage;
  UplinkOptions uplink;
  RehearseOptions rehearse;
  LoadOptions load;
  std::string verb;                   // of footage and load
  std::string subject;                // what the command is about: a clip, a scene, a plan's file, a rehearsal's folder
  std::vector<std::string> subjects;  // where there may be several; `subject` is the first
  std::string file;                   // prepare: the show that it writes
  bool overwrite = false;             // prepare: also where there is one
  bool no_history = false;            // this run is not kept
  PastRunOptions past;
  WatchOptions watch;
  std::string root = "/";        // survey: of the tree to read
  std::string recording_folder;  // survey: empty: the output folder
  bool exhaustive = false;       // plan: try the whole grid as well
  bool all_pairs = false;        // plan: weigh every pair of stream and recording as well
  std::optional<double> plan_budget_seconds;
  double proof_seconds = 10;
  double disk_seconds = 3;        // that a survey writes to the disk; no option
  int most_proofs = 5;            // proof runs before giving up; the demo allows fewer, to keep its time
  bool without_stand_in = false;  // demo: CPU only
};

// A request to carry out, or a text to print with the exit code 0 (help, version).
struct Parsed {
  std::optional<Request> request;
  std::string text;
};

// Throws Error(kInput) for anything that is not right, with the nearest right word.
Parsed ParseCommandLine(const std::vector<std::string>& arguments);

}  // namespace kettle::app
