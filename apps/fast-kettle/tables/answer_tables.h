// SPDX-License-Identifier: Apache-2.0
// What bench --question prints for people.
#pragma once

#include "kettle/question/answer.h"
#include "session/session.h"

namespace kettle::app {

void PrintAnswer(const Session& session, const Answer& answer, double seconds);

}  // namespace kettle::app
