// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/ladder.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "kettle/planning/candidates.h"

namespace kettle {

namespace {

constexpr double kRateSteps[] = {0.85, 0.7};  // of the chosen rate
constexpr double kLeastKbps = 200;

void LowerRate(const EncodeSettings& chosen, double share, EncodeSettings& settings) {
  const auto lower = [&](BitRate rate) { return BitRate::FromKbps(std::round(rate.kbps() * share / 50) * 50); };
  settings.bit_rate = lower(chosen.bit_rate);
  settings.maximum_bit_rate = lower(chosen.maximum_bit_rate);
}

}  // namespace

std::vector<LadderStep> UplinkLadder(const Option& chosen, const Footage& footage, double required_headroom,
                                     TrialBook& book) {
  std::vector<LadderStep> ladder;
  const auto clip = std::find_if(chosen.clips.begin(), chosen.clips.end(),
                                 [&](const ClipResult& c) { return c.footage == footage.label; });
  const double score = clip == chosen.clips.end() ? chosen.score : clip->score;
  EncodeSettings settings = chosen.settings;
  const auto try_step = [&](const std::string& what, const EncodeSettings& next) {
    const Trial trial = book.Get(next, footage);
    if (!trial.done() || !trial.quality || trial.headroom < required_headroom) return;
    settings = next;
    ladder.push_back({what, next, chosen.settings.bit_rate.kbps() - next.bit_rate.kbps(),
                      score - trial.quality->score(), trial.headroom});
  };
  for (const double share : kRateSteps) {
    EncodeSettings next = settings;
    LowerRate(chosen.settings, share, next);
    if (next.bit_rate.kbps() >= kLeastKbps && next.bit_rate < settings.bit_rate)
      try_step("bit rate " + next.bit_rate.str(), next);
  }
  if (const auto sizes = CandidateSizes(settings.size); sizes.size() > 1) {
    EncodeSettings next = settings;
    next.size = sizes[1];
    try_step("size " + next.size.str(), next);
  }
  if (const auto rates = CandidateRates(settings.frame_rate); rates.size() > 1) {
    EncodeSettings next = settings;
    next.frame_rate = rates.back();
    // Half of it where that is offered: every other frame is shown as long as before.
    for (const FrameRate rate : rates)
      if (std::abs(rate.fps() * 2 - settings.frame_rate.fps()) < 0.01) next.frame_rate = rate;
    try_step(next.frame_rate.str() + " frames a second", next);
  }
  return ladder;
}

void to_json(nlohmann::json& json, const LadderStep& step) {
  json = {{"step", step.what},
          {"size", step.settings.size},
          {"frame_rate", step.settings.frame_rate},
          {"bit_rate_kbps", step.settings.bit_rate.kbps()},
          {"saves_kbps", step.saves_kbps},
          {"costs_db", step.costs_db},
          {"headroom", step.headroom}};
}

}  // namespace kettle
