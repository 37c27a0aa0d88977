// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/ladder.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <optional>

#include "kettle/search/candidates.h"
#include "kettle/units/json_fields.h"
#include "kettle/uplink/budget.h"

namespace kettle {

namespace {

constexpr double kRateSteps[] = {0.85, 0.7};  // of the chosen rate

void LowerRate(const EncodeSettings& chosen, double share, EncodeSettings& settings) {
  const auto lower = [&](BitRate rate) { return BitRate::FromKbps(std::round(rate.kbps() * share / 50) * 50); };
  settings.bit_rate = lower(chosen.bit_rate);
  settings.maximum_bit_rate = lower(chosen.maximum_bit_rate);
}

// Half the rate where that is offered, for then every other frame is shown as long as before; otherwise the lowest.
std::optional<FrameRate> LowerFrameRate(FrameRate from, const std::vector<FrameRate>& offered) {
  std::optional<FrameRate> lowest;
  for (const FrameRate rate : offered) {
    if (std::abs(rate.fps() * 2 - from.fps()) < 0.01) return rate;
    if (rate.fps() < from.fps() - 0.01 && (!lowest || rate.fps() < lowest->fps())) lowest = rate;
  }
  return lowest;
}

// "bit rate 2350 kbit/s", "bit rate 2350 kbit/s and size 576x324"
std::string Differences(const EncodeSettings& from, const EncodeSettings& to) {
  std::vector<std::string> parts;
  if (to.bit_rate != from.bit_rate) parts.push_back("bit rate " + to.bit_rate.str());
  if (to.size != from.size) parts.push_back("size " + to.size.str());
  if (to.frame_rate != from.frame_rate) parts.push_back(to.frame_rate.str() + " frames a second");
  return fmt::format("{}", fmt::join(parts, " and "));
}

}  // namespace

std::vector<LadderStep> UplinkLadder(const Option& chosen, const Footage& footage, double required_headroom,
                                     TrialBook& book, const std::vector<FrameSize>& sizes,
                                     const std::vector<FrameRate>& rates) {
  std::vector<LadderStep> ladder;
  const auto clip = std::find_if(chosen.clips.begin(), chosen.clips.end(),
                                 [&](const ClipResult& c) { return c.footage == footage.label; });
  const double score = clip == chosen.clips.end() ? chosen.score : clip->score;
  EncodeSettings settings = chosen.settings;
  const auto try_step = [&](const EncodeSettings& next) {
    const Trial trial = book.Get(next, footage);
    if (!trial.done() || !trial.quality || trial.headroom < required_headroom) return;
    ladder.push_back({Differences(chosen.settings, next), next, chosen.settings.bit_rate.kbps() - next.bit_rate.kbps(),
                      score - trial.quality->score(), trial.headroom});
    if (ladder.back().saves_kbps > 0 && WorthTaking(ladder).back().settings == next) settings = next;
  };
  for (const double share : kRateSteps) {
    EncodeSettings next = settings;
    LowerRate(chosen.settings, share, next);
    if (next.bit_rate.kbps() >= kLeastVideoKbps && next.bit_rate < settings.bit_rate) try_step(next);
  }
  const auto offered = sizes.empty() ? CandidateSizes(settings.size) : sizes;
  const auto smaller = std::find_if(offered.begin(), offered.end(),
                                    [&](FrameSize size) { return size.pixels() < settings.size.pixels(); });
  if (smaller != offered.end()) {
    EncodeSettings next = settings;
    next.size = *smaller;
    try_step(next);
  }
  if (const auto rate = LowerFrameRate(
          settings.frame_rate, rates.empty() ? CandidateRates(settings.frame_rate, settings.frame_rate) : rates)) {
    EncodeSettings next = settings;
    next.frame_rate = *rate;
    try_step(next);
  }
  return ladder;
}

std::vector<LadderStep> WorthTaking(const std::vector<LadderStep>& ladder) {
  std::vector<LadderStep> worth;
  for (const LadderStep& step : ladder) {
    const bool saves_more = step.saves_kbps > (worth.empty() ? 0 : worth.back().saves_kbps);
    if (saves_more || (!worth.empty() && step.costs < worth.back().costs)) worth.push_back(step);
  }
  return worth;
}

void to_json(nlohmann::json& json, const LadderStep& step) {
  KETTLE_WRITE_FIELDS(json, step, settings, saves_kbps, costs, headroom);
  json.update({{"step", step.what},
               {"size", step.settings.size},
               {"frame_rate", step.settings.frame_rate},
               {"bit_rate_kbps", step.settings.bit_rate.kbps()}});
}

void from_json(const nlohmann::json& json, LadderStep& step) {
  json.at("step").get_to(step.what);
  KETTLE_READ_FIELDS(json, step, settings, saves_kbps, costs, headroom);
}

}  // namespace kettle
