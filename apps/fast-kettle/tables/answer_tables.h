// SPDX-License-Identifier: Apache-2.0
// What bench --question prints for people.
#pragma once

#include "kettle/question/answer.h"
#include "tables/result_place.h"

namespace kettle::app {

void PrintAnswer(const Answer& answer, double seconds, const ResultPlace& place);

}  // namespace kettle::app
