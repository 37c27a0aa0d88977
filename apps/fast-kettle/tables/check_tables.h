// SPDX-License-Identifier: Apache-2.0
// What plan prints of its search checked against everything.
#pragma once

#include "kettle/planner/pair_check.h"
#include "kettle/search/exhaustive.h"

namespace kettle::app {

void PrintGridCheck(const GridCheck& check);
void PrintPairCheck(const PairCheck& check);

}  // namespace kettle::app
