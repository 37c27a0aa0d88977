// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/bd_rate.h"

#include <math.h>  // Boost 1.74's pchip.hpp uses ::isnan and does not include it

#include <algorithm>
#include <boost/math/interpolators/pchip.hpp>
#include <cmath>
#include <optional>
#include <utility>

namespace kettle {

namespace {

struct Knot {
  double x, y;
};

// Piecewise cubics through knots of rising x; straight lines through fewer than four, which Boost's need.
class MonotoneCurve {
 public:
  // Of several knots with the same x, the first counts.
  explicit MonotoneCurve(std::vector<Knot> knots) : knots_(std::move(knots)) {
    std::stable_sort(knots_.begin(), knots_.end(), [](const Knot& a, const Knot& b) { return a.x < b.x; });
    knots_.erase(std::unique(knots_.begin(), knots_.end(), [](const Knot& a, const Knot& b) { return a.x == b.x; }),
                 knots_.end());
    if (knots_.size() < 4) return;
    std::vector<double> x, y;
    for (const Knot& knot : knots_) {
      x.push_back(knot.x);
      y.push_back(knot.y);
    }
    const std::size_t n = knots_.size();
    const double first = EndSlope(knots_[0], knots_[1], knots_[2]);
    const double last = EndSlope(knots_[n - 1], knots_[n - 2], knots_[n - 3]);
    cubics_.emplace(std::move(x), std::move(y), first, last);
  }

  bool usable() const { return knots_.size() >= 2; }
  double low() const { return knots_.front().x; }
  double high() const { return knots_.back().x; }

  double At(double x) const {
    if (cubics_) return (*cubics_)(x);
    const std::size_t i = knots_.size() > 2 && x > knots_[1].x ? 1 : 0;
    return std::lerp(knots_[i].y, knots_[i + 1].y, (x - knots_[i].x) / (knots_[i + 1].x - knots_[i].x));
  }

  // Exact: Simpson's rule on each piece, as none is more than a cubic.
  double Integral(double from, double to) const {
    double sum = 0;
    for (std::size_t i = 0; i + 1 < knots_.size(); ++i) {
      const double a = std::max(from, knots_[i].x), b = std::min(to, knots_[i + 1].x);
      if (a < b) sum += (b - a) / 6 * (At(a) + 4 * At((a + b) / 2) + At(b));
    }
    return sum;
  }

 private:
  // The slope at the outermost knot: the three points' formula, kept within the shape (Boost's own is one-sided).
  static double EndSlope(const Knot& end, const Knot& next, const Knot& third) {
    const double h0 = next.x - end.x, h1 = third.x - next.x;
    const double steep0 = (next.y - end.y) / h0, steep1 = (third.y - next.y) / h1;
    const double slope = ((2 * h0 + h1) * steep0 - h0 * steep1) / (h0 + h1);
    if (slope * steep0 <= 0) return 0;
    if (steep0 * steep1 <= 0 && std::abs(slope) > 3 * std::abs(steep0)) return 3 * steep0;
    return slope;
  }

  std::vector<Knot> knots_;
  std::optional<boost::math::interpolators::pchip<std::vector<double>>> cubics_;
};

MonotoneCurve RateOverQuality(const RateCurve& curve) {
  std::vector<Knot> knots;
  for (const RatePoint& point : curve) knots.push_back({point.quality_db, std::log10(point.kbps)});
  return MonotoneCurve(std::move(knots));
}

MonotoneCurve QualityOverRate(const RateCurve& curve) {
  std::vector<Knot> knots;
  for (const RatePoint& point : curve) knots.push_back({std::log10(point.kbps), point.quality_db});
  return MonotoneCurve(std::move(knots));
}

std::optional<double> MeanDistance(const MonotoneCurve& anchor, const MonotoneCurve& test) {
  if (!anchor.usable() || !test.usable()) return std::nullopt;
  const double low = std::max(anchor.low(), test.low()), high = std::min(anchor.high(), test.high());
  if (low >= high) return std::nullopt;
  return (test.Integral(low, high) - anchor.Integral(low, high)) / (high - low);
}

}  // namespace

std::optional<double> BdRate(const RateCurve& anchor, const RateCurve& test) {
  const auto distance = MeanDistance(RateOverQuality(anchor), RateOverQuality(test));
  if (!distance) return std::nullopt;
  return std::pow(10, *distance) - 1;
}

std::optional<double> QualityAt(const RateCurve& curve, double kbps) {
  if (curve.size() == 1 && std::abs(curve.front().kbps - kbps) <= 1e-9 * kbps) return curve.front().quality_db;
  const MonotoneCurve fit = QualityOverRate(curve);
  const double x = std::log10(kbps);
  if (!fit.usable() || x < fit.low() - 1e-9 || x > fit.high() + 1e-9) return std::nullopt;
  return fit.At(std::clamp(x, fit.low(), fit.high()));
}

}  // namespace kettle
