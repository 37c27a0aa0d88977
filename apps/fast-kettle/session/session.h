// SPDX-License-Identifier: Apache-2.0
// What every command of one run shares: places, the output folder, the worker, progress.
#pragma once

#include <sys/types.h>

#include <atomic>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "command_line.h"
#include "kettle/device/nvidia.h"
#include "kettle/footage/cache.h"
#include "kettle/machine/disk.h"
#include "kettle/machine/machine.h"
#include "kettle/option/trial_book.h"
#include "kettle/store/file.h"
#include "kettle/store/output_folder.h"
#include "kettle/trial/trial.h"
#include "report/quality_csv.h"
#include "session/background_load.h"
#include "terminal.h"

namespace kettle::app {

// The Debian package that holds the simulated GPU, ingest and game.
inline constexpr const char* kSimulatorsPackage = "fast-kettle-simulators";

// Where the installation keeps what ships with it.
struct Places {
  std::filesystem::path engine, drivers, share;
};
Places FindPlaces();

// The full path of a stand-in GPU's profile, given as a path or as the name of one that ships; empty for none. Throws
// Error(kInput) for one that is not there or not right.
std::string FindStandInGpu(const std::string& name, const Places& places);

// Set by SIGINT and SIGTERM; whatever runs then stops, keeping what is finished.
const std::atomic<bool>& StopRequested();
void CatchSignals();

// One encoder family as it was found here.
struct FoundEncoder {
  std::string name;
  int device = 0;  // which GPU, for a family that has several
  ProbeOutcome probe;
  bool simulated = false;
};

class Session {
 public:
  // Throws Error: an output folder that cannot be used, a stand-in profile that is not right.
  Session(const Request& request, Places places);

  const Request& request() const { return request_; }
  const Places& places() const { return places_; }
  const std::filesystem::path& out() const { return folder_.path(); }
  const std::filesystem::path& scratch() const { return scratch_.path(); }
  const Machine& machine() const { return machine_; }
  const Provenance& provenance() const { return provenance_; }
  const WorkerProcess& worker() const { return worker_; }
  ProcessTrialRunner& runner() { return runner_; }
  Progress& progress() { return progress_; }

  // Opens every family of the catalogue in a worker, on each GPU. Remembered: the machine does not change in a run.
  const std::vector<FoundEncoder>& FindEncoders();
  // The names of the H.264 encoders that work on the first GPU or the CPU: what every destination takes. Throws
  // Error(kMachine) if there is none.
  std::vector<std::string> UsableEncoders();
  // How many GPUs each family may use, counted from the first; a processor counts as one.
  std::map<std::string, int> UsableDevices();
  // Of those families that are on a GPU: how many encodes the driver opens at once on the first one. Tried.
  std::map<std::string, int> EncodesAtOnce(const std::vector<std::string>& families);
  // What the driver opens at most. Tried, once for each encoder; nothing if that failed.
  std::optional<LimitsOutcome> Limits(const std::string& family, int device);
  // How fast recordings are taken by the disk of `folder`, which may not exist yet: written for `seconds`, once for
  // each file system. Throws Error as kettle::MeasureWriteRate.
  WriteRate MeasureWriteRate(const std::filesystem::path& folder, double seconds);
  // How many devices a family may choose from; 1 for the CPU.
  int CountDevices(const EncoderFamily& family);
  // What the NVIDIA driver tells, asked in a worker. Remembered.
  const std::vector<NvidiaDevice>& Nvidia();

  std::vector<Footage> PrepareAll(const Show& show);
  // The calmest stretches of the show's clips, where they are not those that `busiest` holds.
  std::vector<Footage> PrepareCalm(const Show& show, const std::vector<Footage>& busiest);
  // What was done to the pictures prepared, a line each.
  std::vector<std::string> FootageNotes() const;

  // From now on until the end of the session everything is measured under this load: a profile's path, or "live".
  void StartLoad(const std::string& load);
  // If there is a load: its busiest second comes in the middle of the next `seconds`.
  void MeetBusiestLoad(double seconds) {
    if (load_) load_->MeetBusiest(seconds);
  }
  const BackgroundLoad* load() const { return load_.get(); }

  // Trials that earlier runs in this folder measured and that still count here: of this machine, its drivers and codec
  // libraries, this version, under this load. What was measured while the machine was disturbed counts only as long as
  // it still is.
  std::vector<Trial> KnownTrials() const;
  // True if the folder holds trials of this machine, version and load, disturbed or not.
  bool HoldsTrials() const { return !KeptTrials().empty(); }
  // Keeps the bench.json of an earlier bench as bench.previous.json: the way back. Throws Error(kMachine).
  void SetBenchAside() const;
  // True if the folder holds a bench that was interrupted.
  bool HasUnfinishedBench() const;
  // Writes bench.json, bench.csv and quality.csv. `more` goes into the former: trials in real time, times taken.
  void KeepTrials(const std::vector<Trial>& trials, bool complete, const nlohmann::json& more = nullptr);

  // Draws a figure, after its results are written: one that fails is a line on standard error and costs nothing else.
  // Where gnuplot is missing or hangs, no other is tried.
  void Draw(const std::function<void()>& draw);

  void Write(const std::string& kind, const nlohmann::json& body) const { WriteResult(out(), kind, body, provenance_); }

 private:
  std::vector<Trial> KeptTrials() const;
  bool QuietNow() const;  // looked at once, when it is first asked
  Footage Prepare(const Show& show, const std::string& source, Stretch stretch);

  Request request_;
  Places places_;
  OutputFolder folder_;
  TemporaryFolder scratch_;
  Machine machine_;
  Provenance provenance_;
  std::string stand_in_profile_, stand_in_digest_;
  WorkerProcess worker_;
  Progress progress_;
  ProcessTrialRunner runner_;
  QualityCsv quality_csv_;
  std::vector<Footage> footage_;
  std::vector<FoundEncoder> encoders_;
  std::map<std::pair<std::string, int>, std::optional<LimitsOutcome>> limits_;
  std::map<dev_t, WriteRate> write_rates_;
  std::optional<std::vector<NvidiaDevice>> nvidia_;
  std::unique_ptr<BackgroundLoad> load_;
  mutable std::optional<bool> quiet_;
  bool figures_given_up_ = false;
};

// What every encoder that works at all takes, with its fastest preset.
EncodeSettings ProbeSettings(const EncoderFamily& family, int device);

// "SIMULATED: ..." for the top of any output to which it applies.
std::string SimulatedNotice();

}  // namespace kettle::app
