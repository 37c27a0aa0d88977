// SPDX-License-Identifier: Apache-2.0
// Which of several rate-quality curves is the best at which bit rate.
#pragma once

#include <vector>

#include "kettle/curve/bd_rate.h"

namespace kettle {

// A point of a curve that lies on the upper convex hull of all points, quality over log10(bit rate).
struct HullPoint {
  double kbps = 0, quality = 0;
  std::size_t curve = 0;
};
// Of rising bit rate and quality. Empty if there is no point.
std::vector<HullPoint> ConvexHull(const std::vector<RateCurve>& curves);

// From one bit rate to another, one curve looks best.
struct BestStretch {
  double from_kbps = 0, to_kbps = 0;
  std::size_t curve = 0;
};
// Over the bit rates that all curves with points cover, rising; empty if there is none. By interpolation (QualityAt).
std::vector<BestStretch> BestByRate(const std::vector<RateCurve>& curves);

}  // namespace kettle
