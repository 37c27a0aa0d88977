// SPDX-License-Identifier: Apache-2.0
// The ways to record that a plan weighed.
#pragma once

#include <vector>

#include "kettle/plan/trade.h"

namespace kettle::app {

// Each way with what it costs, then why it was taken or not and what to write into the show to get it.
void PrintTrade(const std::vector<TradePoint>& trade, double cpu_cores);

}  // namespace kettle::app
