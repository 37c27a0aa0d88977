// SPDX-License-Identifier: Apache-2.0
// How fast footage moves across the screen: where small blocks of a picture went, whatever their contrast.
#pragma once

#include <vector>

#include "kettle/media/picture_view.h"

namespace kettle {

// How far the parts of a picture moved from `earlier` to `later`, in pixels, one for each block in which there is
// something to follow and which is found again; by block matching, coarse to fine, up to a twentieth of the width. Both
// have the same size.
std::vector<double> DistancesMoved(const PlaneView& earlier, const PlaneView& later);

// The middles of `count` parts of the values that are as many each, rising; empty for none.
std::vector<double> Spread(std::vector<double> values, int count);

}  // namespace kettle
