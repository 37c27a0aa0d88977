// SPDX-License-Identifier: Apache-2.0
// The simulated GPU that the user asked for: which profile, and the words that say so.
#pragma once

#include <string>

#include "kettle/worker/driver_preload.h"
#include "session/places.h"

namespace kettle::app {

// The profile that is given as a path or as the name of one that ships; empty for none. The simulator itself reads it
// once. Throws Error(kInput) for one that is not there or not right.
StandInGpu FindStandInGpu(const std::string& name, const Places& places);

// "SIMULATED: ..." for the top of any output to which it applies.
std::string SimulatedNotice();

}  // namespace kettle::app
