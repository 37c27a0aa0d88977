// SPDX-License-Identifier: Apache-2.0
// The sizes and frame rates that a source can be streamed at.
#pragma once

#include <vector>

#include "kettle/units/units.h"

namespace kettle {

// From `largest` down to half its lines, in steps of a tenth, and the usual line counts between: all of the same shape
// and with even sides, none larger. At least `largest` itself.
std::vector<FrameSize> CandidateSizes(FrameSize largest);

// `highest` divided by whole numbers, for at any other rate pictures come unevenly: of rates above 60 all down to 60,
// then half and a third of that, as far as they are whole and not below 15: 60, 30, 20; 50, 25; 144, 72, 48, 24, 16.
std::vector<FrameRate> CandidateRates(FrameRate highest);

// The few pictures that a recording may have: the source's, two thirds and half of its lines; every frame, or every
// second one where that is still 24 a second or more.
std::vector<FrameSize> RecordingSizes(FrameSize source);
std::vector<FrameRate> RecordingRates(FrameRate source);

}  // namespace kettle
