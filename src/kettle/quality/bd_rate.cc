// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/bd_rate.h"

#include <algorithm>
#include <cmath>

namespace kettle {

namespace {

struct Knot {
  double x, y;
};

// Piecewise cubics through knots of rising x.
class MonotoneCubic {
 public:
  // At least two knots; of several with the same x, the first counts.
  explicit MonotoneCubic(std::vector<Knot> knots) : knots_(std::move(knots)) {
    std::stable_sort(knots_.begin(), knots_.end(), [](const Knot& a, const Knot& b) { return a.x < b.x; });
    knots_.erase(std::unique(knots_.begin(), knots_.end(), [](const Knot& a, const Knot& b) { return a.x == b.x; }),
                 knots_.end());
    if (knots_.size() >= 2) FindSlopes();
  }

  bool usable() const { return knots_.size() >= 2; }
  double low() const { return knots_.front().x; }
  double high() const { return knots_.back().x; }

  double At(double x) const {
    const std::size_t i = Piece(x);
    const double h = knots_[i + 1].x - knots_[i].x, t = (x - knots_[i].x) / h;
    const double t2 = t * t, t3 = t2 * t;
    return (2 * t3 - 3 * t2 + 1) * knots_[i].y + (t3 - 2 * t2 + t) * h * slopes_[i] +
           (3 * t2 - 2 * t3) * knots_[i + 1].y + (t3 - t2) * h * slopes_[i + 1];
  }

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
  std::size_t Piece(double x) const {
    std::size_t i = 0;
    while (i + 2 < knots_.size() && x > knots_[i + 1].x) ++i;
    return i;
  }

  void FindSlopes() {
    std::vector<double> h, steep;
    for (std::size_t i = 0; i + 1 < knots_.size(); ++i) {
      h.push_back(knots_[i + 1].x - knots_[i].x);
      steep.push_back((knots_[i + 1].y - knots_[i].y) / h.back());
    }
    slopes_.assign(knots_.size(), steep.front());
    if (knots_.size() == 2) return;
    for (std::size_t i = 1; i + 1 < knots_.size(); ++i) {
      const double w1 = 2 * h[i] + h[i - 1], w2 = h[i] + 2 * h[i - 1];
      slopes_[i] = steep[i - 1] * steep[i] <= 0 ? 0 : (w1 + w2) / (w1 / steep[i - 1] + w2 / steep[i]);
    }
    slopes_.front() = EndSlope(h[0], h[1], steep[0], steep[1]);
    slopes_.back() = EndSlope(h[h.size() - 1], h[h.size() - 2], steep[h.size() - 1], steep[h.size() - 2]);
  }

  // Three points' formula, kept within the shape.
  static double EndSlope(double h0, double h1, double steep0, double steep1) {
    const double slope = ((2 * h0 + h1) * steep0 - h0 * steep1) / (h0 + h1);
    if (slope * steep0 <= 0) return 0;
    if (steep0 * steep1 <= 0 && std::abs(slope) > 3 * std::abs(steep0)) return 3 * steep0;
    return slope;
  }

  std::vector<Knot> knots_;
  std::vector<double> slopes_;
};

MonotoneCubic RateOverQuality(const RateCurve& curve) {
  std::vector<Knot> knots;
  for (const RatePoint& point : curve) knots.push_back({point.quality_db, std::log10(point.kbps)});
  return MonotoneCubic(std::move(knots));
}

MonotoneCubic QualityOverRate(const RateCurve& curve) {
  std::vector<Knot> knots;
  for (const RatePoint& point : curve) knots.push_back({std::log10(point.kbps), point.quality_db});
  return MonotoneCubic(std::move(knots));
}

std::optional<double> MeanDistance(const MonotoneCubic& anchor, const MonotoneCubic& test) {
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
  const MonotoneCubic cubic = QualityOverRate(curve);
  const double x = std::log10(kbps);
  if (!cubic.usable() || x < cubic.low() - 1e-9 || x > cubic.high() + 1e-9) return std::nullopt;
  return cubic.At(std::clamp(x, cubic.low(), cubic.high()));
}

}  // namespace kettle
