// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/frame_rate_loss.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace kettle {

namespace {

constexpr double kHighestRate = 60, kStillSlope = 10, kFastSlope = 2.2, kFastMotion = 8;
constexpr int kStep = 4;

}  // namespace

double MotionBetween(const PlaneView& earlier, const PlaneView& later) {
  std::int64_t sum = 0, samples = 0;
  for (int y = 0; y < later.height; y += kStep)
    for (int x = 0; x < later.width; x += kStep, ++samples) sum += std::abs(earlier.row(y)[x] - later.row(y)[x]);
  return samples > 0 ? static_cast<double>(sum) / static_cast<double>(samples) : 0;
}

double FrameRateShare(FrameRate rate, FrameRate source, double motion) {
  const double slope = kStillSlope - (kStillSlope - kFastSlope) * std::clamp(motion / kFastMotion, 0.0, 1.0);
  const auto smoothness = [&](FrameRate of) { return 1 - std::exp(-slope * std::min(1.0, of.fps() / kHighestRate)); };
  return std::min(1.0, smoothness(rate) / smoothness(source));
}

}  // namespace kettle
