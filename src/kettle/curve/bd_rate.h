// SPDX-License-Identifier: Apache-2.0
// Encodes compared over a range of bit rates rather than at one.
#pragma once

#include <optional>
#include <vector>

namespace kettle {

struct RatePoint {
  double kbps = 0, quality = 0;
};
using RateCurve = std::vector<RatePoint>;  // in any order

// How much more bit rate `test` needs than `anchor` for the same quality, as a share: -0.31 is 31 % less.
// Bjontegaard, "Calculation of average PSNR differences between RD-curves", ITU-T VCEG-M33, 2001: the mean
// distance of the curves of log10(bit rate) over quality, on the range of quality that both cover. In place of its one
// cubic through four points, piecewise cubics that never overshoot (Fritsch and Butland, "A method for constructing
// local monotone piecewise cubic interpolants", SIAM J. Sci. Stat. Comput. 5(2), 1984), through any number. Nothing if
// a curve has fewer than two points, or they share no range of quality.
std::optional<double> BdRate(const RateCurve& anchor, const RateCurve& test);

// The quality at a bit rate, by the same interpolation over log10(bit rate); nothing outside the points' range or
// without points. One point gives its own quality at its own rate.
std::optional<double> QualityAt(const RateCurve& curve, double kbps);

}  // namespace kettle
