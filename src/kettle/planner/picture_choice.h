// SPDX-License-Identifier: Apache-2.0
// Why the stream has its size and frame rate, beside what was tried. Internal to this room.
#pragma once

#include <vector>

#include "kettle/plan/targets.h"
#include "kettle/search/picture_search.h"

namespace kettle {

// Takes size and frame rate from `chosen`, one of `tried`, into the targets and explains them, `why` first, with what
// came next and what either stretch of the clips alone would have chosen.
void ChoosePicture(const std::vector<TriedPicture>& tried, const TriedPicture& chosen, const Message& why,
                   Targets& targets);

}  // namespace kettle
