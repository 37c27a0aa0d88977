// SPDX-License-Identifier: Apache-2.0
// The settings card: a plan in plain text.
#pragma once

#include <string>

#include "kettle/plan/plan.h"
#include "kettle/show/show.h"

namespace kettle {

// The settings card: the one page a streamer types from. Plain text, at most 100 columns.
std::string SettingsCard(const Plan& plan, const Show& show);

}  // namespace kettle
