// SPDX-License-Identifier: Apache-2.0
// Where nothing fits by prediction: the pair that comes nearest, tried all the same, and what would hold.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "kettle/draft/plan_request.h"
#include "kettle/placement/step_down.h"
#include "kettle/plan/targets.h"

namespace kettle {

// `rate` divided by a whole number: the highest that is at most `highest_fps`, down to a sixth.
std::optional<FrameRate> NextLowerRate(double highest_fps, FrameRate rate);

// Trials run as fast as they can, and each alone: together and in real time, encodes take less than their sum by up to
// a third. So the lightest pair, that should hold the largest share of what was asked, is proven even if it does not
// fit by prediction, unless it lacks more than that, and the run is added to `proving`. `one_encode`: of pairs that
// need one encode only.
void ProveNearest(const std::vector<FamilyOptions>& families, const Capacity& capacity, const Prove& prove,
                  bool one_encode, Proving& proving);

// What would hold, as a prediction, from the options measured for each role; without any for the recording,
// the stream's stand for both. Empty if nothing works at all.
Message DescribeNearest(const std::vector<Option>& streams, const std::vector<Option>& recordings,
                        const Targets& targets, const Capacity& capacity, bool one_encode, const Proving& proving);

}  // namespace kettle
