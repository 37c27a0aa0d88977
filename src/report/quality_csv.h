// SPDX-License-Identifier: Apache-2.0
// quality.csv: the metrics of every frame of every trial.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "kettle/trial/trial.h"

namespace kettle {

// Rows by trial (Trial::id), kept over several runs: what an earlier one measured stays as long as its trial does.
class QualityCsv {
 public:
  // Takes up the rows of an existing file; one that is not there, or of another make, counts as empty.
  explicit QualityCsv(std::filesystem::path file);

  // Writes the rows of `trials` and no others, if that changes anything. Throws Error(kMachine).
  void Keep(const std::vector<Trial>& trials);

 private:
  std::filesystem::path file_;
  std::map<std::string, std::string> rows_;  // all lines of a trial
};

}  // namespace kettle
