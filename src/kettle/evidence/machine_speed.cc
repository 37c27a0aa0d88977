// SPDX-License-Identifier: Apache-2.0
#include "kettle/evidence/machine_speed.h"

#include <algorithm>
#include <cmath>

#include "kettle/belief/gaussian_process.h"

namespace kettle {

namespace {

// The host of two processors that this was developed on took 0.95 to 1.49 times as long within an hour, in swings of
// some minutes; another program comes and goes within seconds. One look is off by 6 % in a calm minute.
constexpr double kSwing = 0.2, kSwingSeconds = 300, kBurst = 0.2, kBurstSeconds = 10, kLookError = 0.06;
constexpr double kLeastSeconds = 0.1;  // that a look counts for: its own
// Others only ever slow a machine: its own speed is that of its faster moments. Of the time looked at.
constexpr double kOfTheFastest = 0.25;
constexpr std::size_t kNear = 16;  // looks that tell of a moment: those further away add nothing

// Two speeds that wander and come back in time, one slow and one fast (Ornstein-Uhlenbeck processes: Rasmussen and
// Williams, Gaussian Processes for Machine Learning, B.2.1).
double Covariance(double one, double other) {
  const double apart = std::abs(one - other);
  return kSwing * kSwing * std::exp(-apart / kSwingSeconds) + kBurst * kBurst * std::exp(-apart / kBurstSeconds);
}

}  // namespace

void MachineSpeed::Observe(double seconds, double took) {
  const auto later = std::upper_bound(looks_.begin(), looks_.end(), seconds,
                                      [](double s, const Look& look) { return s < look.seconds; });
  looks_.insert(later, {seconds, took});
}

double MachineSpeed::usual() const {
  const auto now = std::find_if(looks_.begin(), looks_.end(), [&](const Look& look) { return look.seconds >= since_; });
  const std::vector<Look> looks(now == looks_.end() ? looks_.begin() : now, looks_.end());
  // Each look counts for the time around it: a busy minute is looked at more often than a quiet one.
  std::vector<std::pair<double, double>> took_for;
  double all = 0;
  for (std::size_t i = 0; i < looks.size(); ++i) {
    const double since = i > 0 ? std::min(kBurstSeconds, looks[i].seconds - looks[i - 1].seconds) : 0;
    const double until = i + 1 < looks.size() ? std::min(kBurstSeconds, looks[i + 1].seconds - looks[i].seconds) : 0;
    took_for.emplace_back(looks[i].took, since + until + kLeastSeconds);
    all += took_for.back().second;
  }
  std::sort(took_for.begin(), took_for.end());
  double passed = 0;
  for (const auto& [took, seconds] : took_for)
    if (passed += seconds; passed >= kOfTheFastest * all) return took;
  return 0;
}

Estimate MachineSpeed::LogSlowness(double seconds) const {
  std::vector<Look> near = looks_;
  const auto count = std::min(kNear, near.size());
  std::partial_sort(
      near.begin(), near.begin() + static_cast<std::ptrdiff_t>(count), near.end(),
      [&](const Look& a, const Look& b) { return std::abs(a.seconds - seconds) < std::abs(b.seconds - seconds); });
  GaussianProcess<double> process([](double) { return 0.0; }, Covariance, kLookError);
  const double usual_took = usual();
  for (std::size_t i = 0; i < count; ++i) process.Observe(near[i].seconds, std::log(near[i].took / usual_took));
  return process.At(seconds);
}

}  // namespace kettle
