// SPDX-License-Identifier: Apache-2.0
// The settings card for other programs: what it says, and each encode's options as its encoder library calls them.
#pragma once

#include <nlohmann/json_fwd.hpp>

#include "kettle/plan/plan.h"

namespace kettle {

// The body of card.json (docs/schemas/card.schema.json).
nlohmann::json CardJson(const Plan& plan);

}  // namespace kettle
