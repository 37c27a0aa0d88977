// SPDX-License-Identifier: Apache-2.0
// Under which conditions a bench measured: when, with which libraries and drivers, and beside what.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <vector>

#include "kettle/trial/trial.h"
#include "page/page.h"

namespace kettle {

// `bench` is what bench.json holds, `trials` are its trials, of which there is one at least.
PageList ConditionsOf(const nlohmann::json& bench, const std::vector<Trial>& trials);

}  // namespace kettle
