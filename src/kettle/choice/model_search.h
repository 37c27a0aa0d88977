// SPDX-License-Identifier: Apache-2.0
// The same choice as SearchPicture makes, by a model of what encodes take and how they look in place of rules. No plan
// asks it yet: with many encoders it needs more trials than the rules do.
#pragma once

#include <vector>

#include "kettle/search/picture_search.h"

namespace kettle {

// A difference in points that nobody sees.
inline constexpr double kNobodySees = 0.1;

// Of all encoders, presets, sizes and frame rates of the space, always the one is measured next from which the largest
// improvement over the best so far is expected for each second that it takes, by all that was measured before
// (Outlook); until none promises as much as anybody would see, or there is no time. What was too slow by one look, or
// leads by one only, is looked at again as far as that may be chance. An option is measured on the footage on which the
// last one failed first, and no further than to look worse there than the best so far. Gives all that were tried, the
// best first; empty `best` last.
std::vector<TriedPicture> SearchByModel(const SearchSpace& space, OptionBook& book);

}  // namespace kettle
