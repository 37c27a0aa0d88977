// SPDX-License-Identifier: Apache-2.0
// One run of a command: what was asked, the machine, the output folder, and what the commands have in common.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>

#include "command_line.h"
#include "figure/figure_folder.h"
#include "kettle/machine/machine.h"
#include "kettle/store/file.h"
#include "kettle/store/output_folder.h"
#include "kettle/trial/trial.h"
#include "process/interrupt.h"
#include "session/background_load.h"
#include "session/disk_rates.h"
#include "session/encoder_finder.h"
#include "session/places.h"
#include "session/prepared_footage.h"
#include "session/stand_in_gpu.h"
#include "session/trial_store.h"
#include "terminal.h"

namespace kettle::app {

class Session {
 public:
  // Throws Error: an output folder that cannot be used, a stand-in profile that is not right.
  Session(const Request& request, Places places);

  const Request& request() const { return request_; }
  const Places& places() const { return places_; }
  const Machine& machine() const { return machine_; }
  const Provenance& provenance() const { return provenance_; }
  const std::filesystem::path& out() const { return folder_.path(); }
  const std::filesystem::path& scratch() const { return scratch_.path(); }
  const WorkerProcess& worker() const { return worker_; }
  ProcessTrialRunner& runner() { return runner_; }
  Progress& progress() { return progress_; }
  EncoderFinder& encoders() { return encoders_; }
  PreparedFootage& footage() { return footage_; }
  DiskRates& disk_rates() { return disk_rates_; }
  TrialStore& trials() { return trials_; }
  const TrialStore& trials() const { return trials_; }

  // From now on until the end of the session everything is measured under this load: a profile's path, or "live".
  void StartLoad(const std::string& load);
  // If there is a load: its busiest second comes in the middle of the next `seconds`.
  void MeetBusiestLoad(double seconds) {
    if (load_) load_->MeetBusiest(seconds);
  }
  const BackgroundLoad* load() const { return load_.get(); }

  // Draws a figure, after its results are written, and keeps what it shows in figures.json. One that fails is a line on
  // standard error and costs nothing else. Where gnuplot is missing or hangs, no other is tried.
  template <class Chart>
  void DrawChart(const Chart& chart) {
    figures_.Keep(Chart::kName, chart);
    DrawPicture([&] { Draw(out(), chart); });
  }
  template <class Chart>
  void DrawChart(const std::optional<Chart>& chart) {
    if (chart) DrawChart(*chart);
  }
  // What a figure shows, for the report page, of one that cannot be drawn again.
  template <class Chart>
  void KeepFigure(const Chart& chart) {
    figures_.Keep(Chart::kName, chart);
  }
  // The same for what is made of pictures and so cannot be drawn again from numbers.
  void DrawPicture(const std::function<void()>& draw);
  // DIR/`kind`.json.
  void Write(const std::string& kind, nlohmann::json body) const;

  const StandInGpu& stand_in_gpu() const { return stand_in_gpu_; }

 private:
  const Request request_;
  const Places places_;
  OutputFolder folder_;
  TemporaryFolder scratch_;
  const Machine machine_;
  const Provenance provenance_;
  const StandInGpu stand_in_gpu_;
  WorkerProcess worker_;
  Progress progress_;
  ProcessTrialRunner runner_;
  EncoderFinder encoders_;
  PreparedFootage footage_;
  DiskRates disk_rates_;
  TrialStore trials_;
  std::unique_ptr<BackgroundLoad> load_;
  FigureFolder figures_;
  bool figures_given_up_ = false;
};

}  // namespace kettle::app
