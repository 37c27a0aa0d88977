// SPDX-License-Identifier: Apache-2.0
// The part of the settings card that says why: each setting's reason, colour, sound, disk, and what runs where.
#pragma once

#include <string>

#include "kettle/plan/plan.h"

namespace kettle {

// Of a plan that chose something.
std::string CardReasons(const Plan& plan);

}  // namespace kettle
