// SPDX-License-Identifier: Apache-2.0
// The trials in the output folder's bench.json: those that still count are taken up again, new ones are added.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/footage/cache.h"
#include "kettle/store/output_folder.h"
#include "kettle/trial/trial.h"
#include "report/quality_csv.h"
#include "session/background_load.h"

namespace kettle::app {

class TrialStore {
 public:
  // `made_by`: the command; `stand_in_digest`: of the simulated GPU's profile, empty without one; `fresh`: what is
  // kept from earlier does not count.
  TrialStore(std::filesystem::path out, Provenance provenance, std::string made_by, std::string stand_in_digest,
             bool fresh);

  // From now on trials are measured under this load, which outlives the store; only such count.
  void MeasuredUnder(const BackgroundLoad& load) { load_ = &load; }

  // Trials that earlier runs in this folder measured and that still count here: of this machine, its drivers and codec
  // libraries, this version, under this load. What was measured while the machine was disturbed counts only as long as
  // it still is.
  std::vector<Trial> Known() const;
  // True if the folder holds trials of this machine, version and load, disturbed or not.
  bool HoldsAny() const { return !Kept().empty(); }
  // True if the folder holds a bench that was interrupted.
  bool HasUnfinishedBench() const;
  // Keeps the bench.json of an earlier bench as bench.previous.json: the way back. Throws Error(kMachine).
  void SetAside() const;
  // Writes bench.json, bench.csv and quality.csv. `more` goes into the former: trials in real time, times taken.
  // Throws Error(kMachine), also if the load has ended by itself.
  void Keep(const std::vector<Trial>& trials, bool complete, const std::vector<Footage>& footage,
            const nlohmann::json& more);
  void Keep(const std::vector<Trial>& trials, bool complete, const std::vector<Footage>& footage);

 private:
  std::vector<Trial> Kept() const;
  bool QuietNow() const;  // looked at once, when it is first asked

  const std::filesystem::path out_;
  const Provenance provenance_;
  const std::string made_by_, stand_in_digest_;
  const bool fresh_;
  const BackgroundLoad* load_ = nullptr;
  QualityCsv quality_csv_;
  mutable std::optional<bool> quiet_;
};

}  // namespace kettle::app
