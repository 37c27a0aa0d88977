// SPDX-License-Identifier: Apache-2.0
// Which of the pictures tried the stream gets, once the recording has its share of the machine.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "kettle/placement/placement.h"
#include "kettle/plan/targets.h"
#include "kettle/search/picture_search.h"

namespace kettle {

// Gives the stream the size and frame rate of one of the pictures tried. The others are the evidence; `why` says in a
// few words what speaks for this one.
void ChoosePicture(const std::vector<TriedPicture>& tried, const TriedPicture& chosen, const Message& why,
                   Targets& targets);

// The best looking picture tried that takes clearly fewer pixels a second than `than`; null if there is none.
const TriedPicture* LighterPicture(const std::vector<TriedPicture>& tried, const EncodeSettings& than);

// What looks best alone may leave so little to the recording that only a fast preset holds, with which it looks worse
// than fewer pixels with a better one. `place` places both encodes as its targets say. Tried are the
// best picture, and lighter ones as long as they could look better, a few in all, if they still do once `everywhere`
// has measured them on all footage; gives the placement with the best looking stream, and leaves its picture in
// `targets`. `tried` is as RankFinalists gives it.
Placement PlaceBestPicture(const std::vector<TriedPicture>& tried,
                           const std::function<Placement(const Targets&)>& place,
                           const std::function<Option(const Option&)>& everywhere, Targets& targets);

}  // namespace kettle
