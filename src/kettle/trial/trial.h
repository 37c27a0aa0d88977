// SPDX-License-Identifier: Apache-2.0
// A trial: one encode of one footage with one set of settings, measured in worker processes.
#pragma once

#include <deque>
#include <filesystem>
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/encoders/catalogue.h"
#include "kettle/footage/cache.h"
#include "kettle/message/message.h"
#include "kettle/task/code_once.h"
#include "kettle/task/strip.h"
#include "kettle/task/tasks.h"
#include "kettle/worker/worker_process.h"

namespace kettle {

// One run of a trial's encode, and what the machine did meanwhile.
struct Repeat {
  double throughput_fps = 0;
  double cpu_cores = 0;     // that the encode takes at the frame rate, feeding not counted
  double other_cores = 0;   // that other programs took
  double stolen_cores = 0;  // that the hypervisor took
  std::int64_t throttle_events = 0;
  std::string busiest;  // of the other programs; empty if none took a tenth of a core
  double began = 0;     // seconds since 1970
  // What the reference encode took right before and right after it, where it was run.
  std::optional<ReferenceLook> before, after;

  // The neighbours had a part in the figures.
  bool disturbed() const { return other_cores >= 0.2 || stolen_cores >= 0.1 || throttle_events > 0; }
};

// Seconds that a trial took, all repeats together.
struct TrialTiming {
  double encoding = 0;  // warm-ups included
  double starting = 0;  // loading the libraries and mapping the footage
  double quality = 0;
  double total = 0;
};

struct Trial {
  EncodeSettings settings;
  std::string footage;      // label
  std::string footage_key;  // Footage::key
  std::string device;       // "cpu" or "gpu"
  std::string device_name, bus_address;
  Versions versions;
  bool simulated = false;
  WorkerStatus status = WorkerStatus::kMalformed;
  std::string detail;        // why, if the status is not done
  std::string driver_words;  // the last line that a GPU's driver wrote on standard error, if any
  TrialTiming timing;

  // The rest counts only if the status is done.
  int frames = 0;
  bool truncated = false;             // stopped early for being far too slow: figures are of the frames done
  std::vector<Repeat> repeats;        // at least one
  std::optional<SlowDown> slow_down;  // within one of the encodes
  // Medians over the repeats that count (CountedRepeats).
  double throughput_fps = 0;
  std::optional<double> interval;  // half of the 95 % interval of the throughput's median, as a share of it
  double headroom = 0;             // 1 - frame rate / throughput; below zero is overload
  double cpu_cores = 0;
  // How far throughput and cores may be off, as standard deviations of their logarithms: those of one look in a calm
  // minute (docs/measuring/trials.md), until more is known. Not in its JSON.
  double throughput_error = 0.09, cores_error = 0.06;
  double other_cores = 0, stolen_cores = 0;  // over all repeats
  double feeding_cores = 0;                  // that scaling its pictures takes
  double stand_in_cores = 0;                 // that the simulated device takes from this machine at the frame rate
  double mean_kbps = 0, peak_second_kbps = 0;
  Latency latency;
  std::int64_t peak_memory_bytes = 0;
  int b_frames = 0;
  std::optional<Quality> quality;               // at the viewing size and the source's rate
  std::vector<PictureMetrics> picture_metrics;  // of each frame, if it was measured in this run; not in its JSON

  std::string id() const;  // the same settings on the same footage have the same
  bool done() const { return status == WorkerStatus::kDone; }
  bool disturbed() const;  // at least half of the repeats that count were
  // What to know about the figures: disturbed by whom, how noisy, slowed down when. One short phrase each.
  std::vector<Message> marks() const;
};

// Makes the figures of a trial from its repeats, of which there must be one at least.
void Summarise(Trial& trial);

// The repeats that count: those that were not disturbed if they are three or more, otherwise all.
std::vector<Repeat> CountedRepeats(const Trial& trial);
std::vector<double> CountedThroughputs(const Trial& trial);

// Adds another run of the same settings and footage to what is known. One that failed makes the whole trial fail: an
// encoder that fails once in a few tries cannot go live.
void AddRepeat(Trial& trial, const Trial& another);

void to_json(nlohmann::json&, const Trial&);
void from_json(const nlohmann::json&, Trial&);

// The same in real time: did it keep pace, alone?
struct PacedTrial {
  EncodeSettings settings;
  std::string footage;
  bool simulated = false;
  WorkerStatus status = WorkerStatus::kMalformed;
  std::string detail;
  int frames = 0, late = 0, skipped = 0, deepest_queue = 0;
  Latency latency;
};
void to_json(nlohmann::json&, const PacedTrial&);
void from_json(const nlohmann::json&, PacedTrial&);

// The stand-in GPU's device, whose use of the processors is told apart from an encode's.
inline constexpr const char* kStandInProcess = "kettle-gpu";

// Tells who watches what is being done: a line, and the share done of it, 0..1.
using Watcher = std::function<void(const std::string& what, double share)>;

// What a runner is asked for.
struct TrialRequest {
  const EncodeSettings& settings;
  const Footage& footage;
  bool quality = true;                         // measure it too
  std::optional<double> longest_seconds = {};  // cut the encode short after this; not set: at a quarter of real time
  // One that is clearly slower than real time with this headroom is of no use: cut short as soon as that is known, and
  // its quality not measured. Below zero: one that is so much slower is of use. Not set: every one is.
  std::optional<double> least_headroom = {};
  // What the reference encode takes usually, for then a machine that is slow at the moment cuts nothing short that
  // would not be otherwise. 0: not known.
  double usual_reference_seconds = 0;
  int scored_a_second = kScoredASecond;
};

// A reference encode by itself, and when it ended, in seconds since 1970.
struct TimedLook {
  double seconds = 0;
  ReferenceLook look;
};

// Runs trials one at a time. Tests replace it.
class TrialRunner {
 public:
  virtual ~TrialRunner() = default;
  // Never throws for a trial that fails; throws Error(kInterrupted) when stopped.
  virtual Trial Run(const TrialRequest& request) = 0;
  // How fast the machine is, `wait_seconds` from now. Nothing where that cannot be told.
  virtual std::optional<TimedLook> Look(double /*wait_seconds*/) { return std::nullopt; }
};

// Whether that family's devices are simulated ones.
bool IsSimulated(const EncoderFamily& family, const StandInGpu& gpu);

// In a worker of its own: those of the encodes that a simulated GPU makes, if there are any. One that fails is left to
// the run, which says why. Throws as WorkerProcess::Run.
void CodeOnce(const WorkerProcess& worker, CodeOnceTask task, const std::function<void(double)>& progress);

// The real one: an encode in a worker process of its own, then its quality in another.
class ProcessTrialRunner final : public TrialRunner {
 public:
  // `scratch` is a folder for files that live no longer than the runner. An encoder that is silent for
  // `patience_seconds` counts as hung.
  ProcessTrialRunner(const WorkerProcess& worker, std::filesystem::path scratch, Watcher watcher,
                     double patience_seconds = 15)
      : worker_(worker),
        scratch_(std::move(scratch)),
        watcher_(std::move(watcher)),
        patience_seconds_(patience_seconds) {}

  Trial Run(const TrialRequest& request) override;
  std::optional<TimedLook> Look(double wait_seconds) override;
  // From now on a load runs beside everything. What it takes is no slow moment, so that nothing tells the machine's
  // speed.
  void RunBesideLoad() { beside_load_ = true; }

  // The same settings and footage in real time, for `seconds`.
  PacedTrial RunPaced(const EncodeSettings& settings, const Footage& footage, double seconds);

  // One setting for long. Throws Error(kMachine) if the encode fails.
  SoakOutcome RunSoak(const SoakTask& task);

  // Encodes into a Matroska file, or gives it what a trial of the same made. Throws Error(kMachine) if the encode
  // fails.
  void Encode(const EncodeSettings& settings, const Footage& footage, const std::filesystem::path& output);
  // Throws Error(kMachine).
  StripOutcome Strip(const StripTask& task);

  // Opens an encoder in a worker and encodes a few frames.
  ProbeOutcome Probe(const EncodeSettings& settings);
  // How far a working one goes; nothing if the worker fails over that.
  std::optional<LimitsOutcome> Limits(const EncodeSettings& settings);

 private:
  // Without its quality; writes `encoded` unless that is empty.
  Trial RunEncode(const TrialRequest& request, const std::filesystem::path& encoded);
  std::filesystem::path EncodeOf(const Trial& trial) const;
  void KeepEncode(const std::filesystem::path& encoded);
  void MeasureQuality(const Footage& footage, const std::filesystem::path& encoded, int scored_a_second, Trial& trial);

  const WorkerProcess& worker_;
  std::filesystem::path scratch_;
  Watcher watcher_;
  double patience_seconds_;
  bool beside_load_ = false;
  std::deque<std::filesystem::path> encodes_;  // of trials, kept for Encode as far as they take little room
};

}  // namespace kettle
