// SPDX-License-Identifier: Apache-2.0
// A trial: one encode of one footage with one set of settings, measured in worker processes.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>

#include "kettle/encoders/catalogue.h"
#include "kettle/footage/cache.h"
#include "kettle/trial/tasks.h"
#include "kettle/trial/worker_process.h"

namespace kettle {

struct Trial {
  EncodeSettings settings;
  std::string footage;      // label
  std::string footage_key;  // the cached file's name: the same pictures have the same key
  std::string device;       // "cpu" or "gpu"
  std::string device_name;
  bool simulated = false;
  WorkerStatus status = WorkerStatus::kNonsense;
  std::string detail;  // why, if the status is not done

  // The rest counts only if the status is done.
  int frames = 0;
  bool truncated = false;  // stopped early for being far too slow: figures are of the frames done
  double throughput_fps = 0;
  double headroom = 0;        // 1 - frame rate / throughput; below zero is overload
  double cpu_cores = 0;       // that the encode takes at the frame rate, feeding not counted
  double feeding_cores = 0;   // that handing it the pictures takes, scaling included
  double stand_in_cores = 0;  // that the simulated device takes from this machine at the frame rate
  double other_cores = 0;     // that other programs took during the trial
  double stolen_cores = 0;    // that the hypervisor took during the trial
  double mean_kbps = 0, peak_second_kbps = 0;
  Latency latency;
  std::int64_t peak_memory_bytes = 0;
  int b_frames = 0;
  std::optional<Quality> quality;  // at the source's size and rate

  bool done() const { return status == WorkerStatus::kDone; }
};

void to_json(nlohmann::json&, const Trial&);
void from_json(const nlohmann::json&, Trial&);

// The same in real time: did it keep pace, alone?
struct PacedTrial {
  EncodeSettings settings;
  std::string footage;
  bool simulated = false;
  WorkerStatus status = WorkerStatus::kNonsense;
  std::string detail;
  int frames = 0, late = 0, skipped = 0, deepest_queue = 0;
  Latency latency;
};
void to_json(nlohmann::json&, const PacedTrial&);

// The stand-in GPU's device, whose use of the processors is told apart from an encode's.
inline constexpr const char* kStandInProcess = "kettle-gpu";

// Tells who watches what is being done: a line, and the share done of it, 0..1.
using Watcher = std::function<void(const std::string& what, double share)>;

// Runs trials one at a time. Tests replace it.
class TrialRunner {
 public:
  virtual ~TrialRunner() = default;
  // Never throws for a trial that fails; throws Error(kInterrupted) when stopped.
  virtual Trial Run(const EncodeSettings& settings, const Footage& footage) = 0;
};

// The real one: an encode in a worker process of its own, then its quality in another.
class ProcessTrialRunner final : public TrialRunner {
 public:
  // `scratch` is a folder for files that live no longer than a trial.
  ProcessTrialRunner(const WorkerProcess& worker, std::filesystem::path scratch, Watcher watcher)
      : worker_(worker), scratch_(std::move(scratch)), watcher_(std::move(watcher)) {}

  Trial Run(const EncodeSettings& settings, const Footage& footage) override;

  // The same settings and footage in real time, for `seconds`.
  PacedTrial RunPaced(const EncodeSettings& settings, const Footage& footage, double seconds);

  // Opens an encoder in a worker and encodes a few frames.
  ProbeOutcome Probe(const EncodeSettings& settings);

 private:
  struct FeedingCost {
    double cpu_seconds = 0;
    int frames = 0;
  };
  const FeedingCost& Feeding(const EncodeSettings& settings, const Footage& footage);
  void MeasureQuality(const Footage& footage, const std::filesystem::path& encoded, Trial& trial);

  const WorkerProcess& worker_;
  std::filesystem::path scratch_;
  Watcher watcher_;
  std::map<std::string, FeedingCost> feeding_;  // by footage file and encode size
};

}  // namespace kettle
