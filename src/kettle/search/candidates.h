// SPDX-License-Identifier: Apache-2.0
// The sizes and frame rates that a source can be streamed at.
#pragma once

#include <vector>

#include "kettle/units/units.h"

namespace kettle {

// From `largest` down to half its lines, in steps of a tenth, and the usual line counts between: all of the same shape
// and with even sides, none larger. At least `largest` itself.
std::vector<FrameSize> CandidateSizes(FrameSize largest);

// `highest` and the usual rates below it: 60, 50, 48, 30 and 25; of an NTSC rate its own kin, 60000/1001 and
// 30000/1001, in place of 60 and 30.
std::vector<FrameRate> CandidateRates(FrameRate highest);

}  // namespace kettle
