// SPDX-License-Identifier: Apache-2.0
// Trials as CSV.
#pragma once

#include <string>
#include <vector>

#include "kettle/trial/trial.h"

namespace kettle {

// One row a trial, a header first; figures of a trial that did not end well are empty.
std::string TrialCsv(const std::vector<Trial>& trials);

}  // namespace kettle
