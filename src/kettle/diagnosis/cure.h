// SPDX-License-Identifier: Apache-2.0
// What to do against a cause of lost frames: a step of the plan, where it has one for it. Internal to this room.
#pragma once

#include <string>

#include "kettle/diagnosis/diagnosis.h"

namespace kettle {

// `program`: for kOtherProgram. `line_kbps`: for kUplink, the least that the line took,
// and which of the stream's encodes goes there: the plan's steps are the first one's.
Diagnosis::Cure CureFor(Cause cause, const std::string& program, double line_kbps, const PlanFile& plan,
                        int stream = 0);

}  // namespace kettle
