// SPDX-License-Identifier: Apache-2.0
// What plan prints.
#pragma once

#include "kettle/plan/plan.h"
#include "tables/result_place.h"
#include "terminal.h"

namespace kettle::app {

// One line for each: speed, headroom, cost, quality, verdict.
Table OptionTable(const std::vector<Option>& options, double required_headroom);

// All that was tried, the placements and proof runs, and the settings card.
void PrintPlan(const Plan& plan, const ResultPlace& place);

std::string Encode(const Option& option);  // "x264 fast, 1280x720 at 60"

}  // namespace kettle::app
