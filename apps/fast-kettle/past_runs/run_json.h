// SPDX-License-Identifier: Apache-2.0
#pragma once

#include <nlohmann/json_fwd.hpp>

#include "kettle/history/kept_run.h"

namespace kettle::app {

nlohmann::json RunJson(const KeptRun& run);

}  // namespace kettle::app
