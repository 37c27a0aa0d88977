// SPDX-License-Identifier: Apache-2.0
// Makes a plan: search, placement, refinement, proof, in the time that there is.
#pragma once

#include "kettle/draft/plan_request.h"
#include "kettle/option/trial_book.h"

namespace kettle {

// Searches size and frame rate where they are free, then measures, places, refines and proves; where nothing holds, the
// same with the next lighter picture.
Plan MakePlan(const PlanRequest& request, TrialBook& book, const Prove& prove);

}  // namespace kettle
