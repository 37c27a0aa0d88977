// SPDX-License-Identifier: Apache-2.0
// What bench --question prints for people.
#pragma once

#include "kettle/planning/answer.h"
#include "session.h"

namespace kettle::app {

void PrintAnswer(const Session& session, const Answer& answer, double seconds);

}  // namespace kettle::app
