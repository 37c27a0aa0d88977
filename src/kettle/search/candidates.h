// SPDX-License-Identifier: Apache-2.0
// The sizes and frame rates that a source can be streamed at.
#pragma once

#include <vector>

#include "kettle/units/units.h"

namespace kettle {

// From `largest` down to half its lines, in steps of a tenth, and the usual line counts between and below: all of the
// same shape and with even sides, none larger. At least `largest` itself.
std::vector<FrameSize> CandidateSizes(FrameSize largest);

// `source` divided by whole numbers, for at any other rate pictures come unevenly: those up to `highest`, of rates
// above 60 all down to 60, then half of that. None below 30, where games stutter, but for every second picture of 48 or
// 50, and `source` itself. At least one: where none of these is left, the fastest up to `highest`.
std::vector<FrameRate> CandidateRates(FrameRate source, FrameRate highest);

// The few pictures that a recording may have: the source's, two thirds and half of its lines; every frame, or every
// second one where that is still 24 a second or more.
std::vector<FrameSize> RecordingSizes(FrameSize source);
std::vector<FrameRate> RecordingRates(FrameRate source);

}  // namespace kettle
