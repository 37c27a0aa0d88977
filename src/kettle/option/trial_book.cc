// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/trial_book.h"

#include <algorithm>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

// Of one that lacks headroom no quality is measured.
bool LacksQuality(const Trial& trial, double least_headroom) {
  return trial.done() && !trial.quality && trial.headroom >= least_headroom;
}

}  // namespace

Trial TrialBook::Get(const EncodeSettings& settings, const Footage& footage, bool quality) {
  const bool fastest = settings.preset == FindFamily(settings.encoder).presets.front();
  return Find(settings, footage, quality, fastest ? 0 : least_headroom_);
}

Trial TrialBook::Find(const EncodeSettings& settings, const Footage& footage, bool quality, double least_headroom) {
  const std::string key = footage.key();
  const auto same = [&](const Trial& trial) { return trial.settings == settings && trial.footage_key == key; };
  const auto known = std::find_if(trials_.begin(), trials_.end(), same);
  const auto index = static_cast<std::size_t>(known - trials_.begin());
  const bool fresh = std::find(fresh_.begin(), fresh_.end(), index) != fresh_.end();
  if (known != trials_.end() && (fresh || known->done()) && !(quality && LacksQuality(*known, least_headroom))) {
    if (!fresh) ++reused_;
    return *known;
  }
  Trial trial =
      RunUndisturbed({.settings = settings, .footage = footage, .quality = quality, .least_headroom = least_headroom});
  if (known != trials_.end())
    *known = trial;
  else
    trials_.push_back(trial);
  if (!fresh) fresh_.push_back(index);
  on_new_(trials_);
  return trial;
}

std::optional<Message> TrialBook::Disturbed() const {
  const auto disturbed =
      std::count_if(fresh_.begin(), fresh_.end(), [&](std::size_t index) { return trials_[index].disturbed(); });
  if (disturbed == 0 || disturbed * 4 < std::ssize(fresh_)) return std::nullopt;
  return Message{"plan.disturbed", {{"disturbed", disturbed}, {"trials", std::ssize(fresh_)}}};
}

// What lacks headroom while others take the machine's time is run again, twice at most: a moment's stall must not rule
// an encoder out. Where others are always busy that is how things are, and only the first few are.
Trial TrialBook::RunUndisturbed(const TrialRequest& request) {
  constexpr int kMostRuns = 3, kMostAgain = 6;
  Trial trial;
  for (int run = 1; run <= kMostRuns; ++run) {
    trial = runner_.Run(request);
    ++measured_;
    const bool held_up = trial.done() && trial.disturbed() && trial.headroom < least_headroom_;
    if (!held_up || again_ == kMostAgain) break;
    again_ += run < kMostRuns;
  }
  return trial;
}

}  // namespace kettle
