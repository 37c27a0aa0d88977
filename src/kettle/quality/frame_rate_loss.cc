// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/frame_rate_loss.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>

namespace kettle {

namespace {

// Barten 1990 for a field of 30 degrees at 100 cd/m2; `u` in cycles a degree.
double ContrastSensitivity(double u) {
  constexpr double kField = 30, kLuminance = 100;
  static const double fall = 0.3 * std::pow(1 + 100 / kLuminance, 0.15);
  const double level = 540 * std::pow(1 + 0.7 / kLuminance, -0.2) / (1 + 12 / (kField * (1 + u / 3) * (1 + u / 3)));
  return level * u * std::exp(-fall * u) * std::sqrt(1 + 0.06 * std::exp(fall * u));
}

double PursuitSpeed(double speed) { return std::min(0.82 * speed, 80.0); }

// In just noticeable differences but for a factor. From half a cycle a degree, below which nothing looks sharp or not.
double Sharpness(double speed, double hold_seconds) {
  constexpr int kSteps = 48;
  const double lowest = std::log(0.5), highest = std::log(kPixelsADegree / 2);
  double sum = 0;
  for (int i = 0; i < kSteps; ++i) {
    const double u = std::exp(lowest + (highest - lowest) * (i + 0.5) / kSteps);
    const double smear = std::numbers::pi * u * PursuitSpeed(speed) * hold_seconds;
    const double kept = smear > 0 ? std::abs(std::sin(smear) / smear) : 1;
    sum += std::sqrt(kept * ContrastSensitivity(u));
  }
  return sum;
}

// The quarter that is fastest: at least one, if there is any.
Speeds Fastest(Speeds speeds) {
  std::sort(speeds.begin(), speeds.end(), std::greater<>());
  speeds.resize((speeds.size() + 3) / 4);
  return speeds;
}

}  // namespace

double FrameRateShare(FrameRate rate, FrameRate source, const Speeds& speeds) {
  double kept = 0, of = 0;
  for (const double speed : Fastest(speeds)) {
    kept += Sharpness(speed, 1 / rate.fps());
    of += Sharpness(speed, 1 / source.fps());
  }
  return of > 0 ? std::min(1.0, kept / of) : 1;
}

}  // namespace kettle
