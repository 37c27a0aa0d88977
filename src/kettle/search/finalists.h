// SPDX-License-Identifier: Apache-2.0
// The pictures that come near the best are judged by the clips' calmest stretches too.
#pragma once

#include <vector>

#include "kettle/option/option_book.h"
#include "kettle/search/picture_search.h"

namespace kettle {

// `tried` as SearchPicture gives it, in the order of the busiest stretches. From the best one on, its neighbours in
// size and frame rate are measured whole, and theirs if one of them looks better by both: a step that changes the
// picture little changes little in either stretch. A smaller size that is behind in the busiest stretch is not: calm
// pictures need fewer bits and favour larger sizes. Those measured whole come first, best first. Without calm stretches
// the order stays. The best is measured on all footage then. Of those that look alike to any eye, within 0.3 points of
// the best, one with more frames a second comes first all the same: motion is what a model tells, the pictures are
// measured.
std::vector<TriedPicture> RankFinalists(std::vector<TriedPicture> tried, OptionBook& book);

// The best looking first, those measured in busy and in calm moments before all others.
void SortByLooks(std::vector<TriedPicture>& tried);

}  // namespace kettle
