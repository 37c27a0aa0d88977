// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/enough_bits.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

constexpr double kLeastKbps = 250;
constexpr double kNoDifference = 90;                     // points: no difference is seen, so none counts above
constexpr double kSurely = 2;                            // times what pays
const double kStep = std::log(2.0);                      // between neighbours
const double kSlope = kWorthTenPercent / std::log(1.1);  // points by the logarithm of the bit rate

// The slopes of a parabola through three neighbours' scores, at the lowest and at the highest.
struct Slopes {
  double low, high;
  Slopes(double first, double second, double third)
      : low((-third + 4 * second - 3 * first) / (2 * kStep)), high((3 * third - 4 * second + first) / (2 * kStep)) {}
};

// The quality of a trial at that rate, with the settings' preset or the next faster that keeps pace.
std::optional<Quality> QualityAtRate(EncodeSettings& settings, BitRate rate, const Footage& footage, TrialBook& book) {
  const auto& presets = FindFamily(settings.encoder).presets;
  for (auto preset = std::find(presets.begin(), presets.end(), settings.preset); preset != presets.end(); --preset) {
    settings.preset = *preset;
    EncodeSettings asked = settings;
    asked.maximum_bit_rate = BitRate::FromKbps(
        std::round(rate.kbps() * settings.maximum_bit_rate.kbps() / std::max(1.0, settings.bit_rate.kbps())));
    asked.bit_rate = rate;
    const Trial trial = book.Get(asked, footage);
    if (trial.done() && trial.quality) return trial.quality;
    if (!trial.done() || preset == presets.begin()) break;
  }
  return std::nullopt;
}

}  // namespace

EnoughBits FindEnoughBits(EncodeSettings most, const Footage& footage, TrialBook& book) {
  EnoughBits enough;
  enough.footage = footage.label;
  std::vector<double> intervals;
  const double highest = most.bit_rate.kbps();
  for (double kbps = highest; kbps >= kLeastKbps; kbps = std::round(kbps / 2)) {
    const auto quality = QualityAtRate(most, BitRate::FromKbps(kbps), footage, book);
    enough.settings = most;
    if (!quality && enough.steps.empty()) continue;  // more than this machine can code in time
    if (!quality) return enough;
    enough.steps.push_back({kbps, quality->score()});
    intervals.push_back(quality->picture_score_interval * quality->frame_rate_share);
    const std::size_t count = enough.steps.size();
    const auto score = [&](std::size_t back) { return std::min(kNoDifference, enough.steps[count - 1 - back].score); };
    if (count == 2 && (score(1) - score(0)) / kStep > kSurely * kSlope) return enough;
    if (count < 3) continue;
    const Slopes slopes(score(0), score(1), score(2));
    if (count == 3 && slopes.high >= kSlope) return enough;
    if (slopes.low < kSlope) continue;
    // The slope changes evenly from the lowest of the three to the highest.
    const double share = (slopes.low - kSlope) / std::max(1e-9, slopes.low - slopes.high);
    const double noise = std::hypot(intervals[count - 1], intervals[count - 3]) / (2 * kStep);
    const double spread = noise / std::max(1e-9, slopes.low - slopes.high);
    const auto rate_at = [&](double along) { return kbps * std::exp(2 * kStep * std::clamp(along, 0.0, 1.0)); };
    enough.kbps = rate_at(share);
    enough.low_kbps = rate_at(share - spread);
    enough.high_kbps = rate_at(share + spread);
    return enough;
  }
  if (!enough.steps.empty() && enough.steps.size() > 2)
    enough.kbps = enough.low_kbps = enough.high_kbps = enough.steps.back().kbps;
  return enough;
}

KETTLE_JSON(EnoughBits::Step, kbps, score)
KETTLE_JSON(EnoughBits, settings, footage, steps, kbps, low_kbps, high_kbps)

}  // namespace kettle
