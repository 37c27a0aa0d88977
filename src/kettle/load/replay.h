// SPDX-License-Identifier: Apache-2.0
// Takes from the machine what a load profile says.
#pragma once

#include <atomic>
#include <functional>

#include "kettle/load/profile.h"
#include "kettle/machine/conditions.h"

namespace kettle {

// A thread on each core is busy as long as the profile says, again and again for `seconds`. What a core could not give
// is owed for a moment and then forgotten, as by a game that drops frames. The profile must be of this machine's number
// of cores (OntoCores). `progress` gets 0..1, from this thread, and may throw to stop.
void ReplayLoad(const LoadProfile& profile, double seconds, const std::function<void(double)>& progress);

}  // namespace kettle
