// SPDX-License-Identifier: Apache-2.0
#include "kettle/curve/best_by_rate.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace kettle {

namespace {

constexpr double kSameRate = 1.02;  // encodes hit a bit rate no better than this

}  // namespace

std::vector<HullPoint> ConvexHull(const std::vector<RateCurve>& curves) {
  std::vector<HullPoint> points;
  for (std::size_t i = 0; i < curves.size(); ++i)
    for (const RatePoint& point : curves[i]) points.push_back({point.kbps, point.quality, i});
  std::sort(points.begin(), points.end(), [](const HullPoint& a, const HullPoint& b) {
    return a.kbps != b.kbps ? a.kbps < b.kbps : a.quality > b.quality;
  });
  std::vector<HullPoint> hull;
  // Below the line from `a` to `c`, or on it.
  const auto below = [](const HullPoint& a, const HullPoint& b, const HullPoint& c) {
    const double across = std::log10(c.kbps / a.kbps), to_b = std::log10(b.kbps / a.kbps);
    return (c.quality - a.quality) * to_b >= (b.quality - a.quality) * across;
  };
  for (const HullPoint& point : points) {
    if (!hull.empty() && point.quality <= hull.back().quality) continue;  // more bits for nothing
    if (!hull.empty() && point.kbps <= hull.back().kbps * kSameRate) hull.pop_back();
    while (hull.size() >= 2 && below(hull[hull.size() - 2], hull.back(), point)) hull.pop_back();
    hull.push_back(point);
  }
  return hull;
}

std::vector<BestStretch> BestByRate(const std::vector<RateCurve>& curves) {
  constexpr int kSteps = 400;  // over the whole range: to about half a percent of the bit rate
  double low = 0, high = INFINITY;
  for (const RateCurve& curve : curves) {
    if (curve.empty()) continue;
    const auto [least, most] = std::minmax_element(
        curve.begin(), curve.end(), [](const RatePoint& a, const RatePoint& b) { return a.kbps < b.kbps; });
    low = std::max(low, least->kbps);
    high = std::min(high, most->kbps);
  }
  std::vector<BestStretch> stretches;
  if (low <= 0 || low > high) return stretches;
  for (int step = 0; step <= kSteps; ++step) {
    const double kbps = low * std::pow(high / low, static_cast<double>(step) / kSteps);
    std::optional<std::size_t> best;
    double best_quality = 0;
    for (std::size_t i = 0; i < curves.size(); ++i) {
      const auto quality = QualityAt(curves[i], kbps);
      if (!quality || (best && *quality <= best_quality)) continue;
      best = i;
      best_quality = *quality;
    }
    if (!best) continue;
    if (stretches.empty() || stretches.back().curve != *best) stretches.push_back({kbps, kbps, *best});
    stretches.back().to_kbps = kbps;
  }
  return stretches;
}

}  // namespace kettle
