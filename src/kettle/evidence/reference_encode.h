// SPDX-License-Identifier: Apache-2.0
// An encode that is always the same and takes about a tenth of a second: how fast the machine is at this moment.
#pragma once

#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <optional>

#include "kettle/units/clock.h"

namespace kettle {

// What it took. Wall time tells what other programs, a pause or a slow host cost; processor time what the host does.
struct ReferenceLook {
  double wall_seconds = 0, cpu_seconds = 0;
};

// x264 with one preset, on all processors, of a picture drawn here. Nothing where x264 is missing. `heartbeat` is
// called after each frame. The processor time is that of the whole process: nothing else may run in it.
std::optional<ReferenceLook> EncodeReference(const Clock& clock, const std::function<void()>& heartbeat);

// Throws the JSON library's exception for figures that no machine has: they are divided by.
void to_json(nlohmann::json& json, const ReferenceLook& look);
void from_json(const nlohmann::json& json, ReferenceLook& look);

}  // namespace kettle
