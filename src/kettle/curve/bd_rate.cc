// SPDX-License-Identifier: Apache-2.0
#include "kettle/curve/bd_rate.h"

#include <algorithm>
#include <boost/math/interpolators/cubic_hermite.hpp>
#include <cmath>
#include <optional>
#include <utility>

namespace kettle {

namespace {

struct Knot {
  double x, y;
};

// Piecewise cubics through knots of rising x.
class MonotoneCurve {
 public:
  // Of several knots with the same x, the first counts.
  explicit MonotoneCurve(std::vector<Knot> knots) : knots_(std::move(knots)) {
    std::stable_sort(knots_.begin(), knots_.end(), [](const Knot& a, const Knot& b) { return a.x < b.x; });
    knots_.erase(std::unique(knots_.begin(), knots_.end(), [](const Knot& a, const Knot& b) { return a.x == b.x; }),
                 knots_.end());
    if (!usable()) return;
    std::vector<double> x, y;
    for (const Knot& knot : knots_) {
      x.push_back(knot.x);
      y.push_back(knot.y);
    }
    // Boost's own choice of slopes (pchip) wants four knots; a question may have three.
    cubics_.emplace(std::move(x), std::move(y), Slopes());
  }

  bool usable() const { return knots_.size() >= 2; }
  double low() const { return knots_.front().x; }
  double high() const { return knots_.back().x; }
  double At(double x) const { return (*cubics_)(x); }

  // Exact: Simpson's rule on each piece, as they are cubics.
  double Integral(double from, double to) const {
    double sum = 0;
    for (std::size_t i = 0; i + 1 < knots_.size(); ++i) {
      const double a = std::max(from, knots_[i].x), b = std::min(to, knots_[i + 1].x);
      if (a < b) sum += (b - a) / 6 * (At(a) + 4 * At((a + b) / 2) + At(b));
    }
    return sum;
  }

 private:
  double Width(std::size_t i) const { return knots_[i + 1].x - knots_[i].x; }
  double Steepness(std::size_t i) const { return (knots_[i + 1].y - knots_[i].y) / Width(i); }

  // Fritsch and Butland's: a weighted harmonic mean of both sides, flat at a peak.
  std::vector<double> Slopes() const {
    const std::size_t last = knots_.size() - 1;
    std::vector<double> slopes(knots_.size(), Steepness(0));
    if (last == 1) return slopes;
    for (std::size_t i = 1; i < last; ++i) {
      const double left = Steepness(i - 1), right = Steepness(i);
      const double w1 = 2 * Width(i) + Width(i - 1), w2 = Width(i) + 2 * Width(i - 1);
      slopes[i] = left * right <= 0 ? 0 : (w1 + w2) / (w1 / left + w2 / right);
    }
    slopes.front() = EndSlope(Width(0), Width(1), Steepness(0), Steepness(1));
    slopes.back() = EndSlope(Width(last - 1), Width(last - 2), Steepness(last - 1), Steepness(last - 2));
    return slopes;
  }

  // The three points' formula, kept within the shape.
  static double EndSlope(double h0, double h1, double steep0, double steep1) {
    const double slope = ((2 * h0 + h1) * steep0 - h0 * steep1) / (h0 + h1);
    if (slope * steep0 <= 0) return 0;
    if (steep0 * steep1 <= 0 && std::abs(slope) > 3 * std::abs(steep0)) return 3 * steep0;
    return slope;
  }

  std::vector<Knot> knots_;
  std::optional<boost::math::interpolators::cubic_hermite<std::vector<double>>> cubics_;
};

MonotoneCurve RateOverQuality(const RateCurve& curve) {
  std::vector<Knot> knots;
  for (const RatePoint& point : curve) knots.push_back({point.quality, std::log10(point.kbps)});
  return MonotoneCurve(std::move(knots));
}

MonotoneCurve QualityOverRate(const RateCurve& curve) {
  std::vector<Knot> knots;
  for (const RatePoint& point : curve) knots.push_back({std::log10(point.kbps), point.quality});
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
  if (curve.size() == 1 && std::abs(curve.front().kbps - kbps) <= 1e-9 * kbps) return curve.front().quality;
  const MonotoneCurve fit = QualityOverRate(curve);
  const double x = std::log10(kbps);
  if (!fit.usable() || x < fit.low() - 1e-9 || x > fit.high() + 1e-9) return std::nullopt;
  return fit.At(std::clamp(x, fit.low(), fit.high()));
}

}  // namespace kettle
