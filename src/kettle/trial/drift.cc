// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/drift.h"

#include <algorithm>
#include <cmath>

#include "kettle/trial/repeats.h"
#include "kettle/units/error.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr double kMatters = 0.05;  // a slowing of less is no reason to act

Drift::Verdict Judge(const Drift& drift, double required_headroom) {
  if (drift.last_headroom >= required_headroom && drift.change - drift.noise > -kMatters)
    return Drift::Verdict::kSteady;
  if (drift.disturbed) return Drift::Verdict::kUnclear;
  if (drift.last_headroom < required_headroom) return Drift::Verdict::kOverloads;
  return drift.change < -std::max(kMatters, drift.noise) ? Drift::Verdict::kSlows : Drift::Verdict::kUnclear;
}

}  // namespace

const char* Name(Drift::Verdict verdict) {
  switch (verdict) {
    case Drift::Verdict::kSteady: return "steady";
    case Drift::Verdict::kSlows: return "slows";
    case Drift::Verdict::kOverloads: return "overloads";
    case Drift::Verdict::kUnclear: return "unclear";
  }
  return "";
}

Drift MeasureDrift(const std::vector<SoakWindow>& windows, FrameRate rate, double required_headroom) {
  if (windows.size() < 8) FailInput("a soak run needs eight windows at least, not {}", windows.size());
  std::vector<double> all;
  Drift drift;
  std::size_t disturbed = 0;
  for (const SoakWindow& window : windows) {
    all.push_back(window.fps);
    drift.throttle_events += window.throttle_events;
    disturbed += window.stolen_cores >= 0.1 || window.other_cores >= 0.2;
  }
  const auto quarter = static_cast<std::ptrdiff_t>(all.size() / 4);
  const std::vector<double> first(all.begin(), all.begin() + quarter), last(all.end() - quarter, all.end());
  drift.first_fps = *Median(first);
  drift.last_fps = *Median(last);
  drift.lowest_fps = *std::min_element(all.begin(), all.end());
  drift.change = drift.first_fps > 0 ? drift.last_fps / drift.first_fps - 1 : 0;
  drift.noise = std::hypot(MedianInterval(first).value_or(0), MedianInterval(last).value_or(0));
  drift.last_headroom = drift.last_fps > 0 ? 1 - rate.fps() / drift.last_fps : -1;
  drift.disturbed = disturbed * 4 >= windows.size();
  drift.verdict = Judge(drift, required_headroom);
  return drift;
}

Message DriftMessage(const Drift& d, double required_headroom) {
  Message figures{"drift.figures",
                  {{"first", d.first_fps}, {"last", d.last_fps}, {"change", d.change * 100}, {"noise", d.noise * 100}}};
  if (d.throttle_events > 0) figures = Message{"drift.throttled", {{"figures", figures}, {"times", d.throttle_events}}};
  switch (d.verdict) {
    case Drift::Verdict::kSteady: return Message{"drift.steady", {{"figures", figures}}};
    case Drift::Verdict::kSlows: return Message{"drift.slows", {{"figures", figures}}};
    case Drift::Verdict::kOverloads:
      return Message{"drift.overloads",
                     {{"figures", figures}, {"left", d.last_headroom * 100}, {"required", required_headroom * 100}}};
    case Drift::Verdict::kUnclear:
      return Message{d.disturbed ? "drift.disturbed" : "drift.unclear", {{"figures", figures}}};
  }
  return {};
}

}  // namespace kettle
