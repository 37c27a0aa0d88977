// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/option_book.h"

#include <algorithm>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

Option Unmeasured(const EncodeSettings& settings) {
  Option option;
  option.settings = settings;
  option.device = Name(FindFamily(settings.encoder).device);
  option.trouble = "not measured: the search stops at half of all trials";
  return option;
}

}  // namespace

bool OptionBook::Known(const EncodeSettings& settings) const {
  return std::any_of(options_.begin(), options_.end(), [&](const Option& o) { return o.settings == settings; });
}

Trial OptionBook::Get(const EncodeSettings& settings, const Footage& footage) {
  Trial trial = book_.Get(settings, footage);
  const std::pair<EncodeSettings, std::string> key{settings, footage.key()};
  if (std::find(asked_.begin(), asked_.end(), key) == asked_.end()) {
    asked_.push_back(key);
    ++trials_;
    encode_seconds_ += trial.timing.encoding;
  }
  return trial;
}

Option OptionBook::Measure(const EncodeSettings& settings, double score_to_beat) {
  const auto known =
      std::find_if(options_.begin(), options_.end(), [&](const Option& o) { return o.settings == settings; });
  if (known != options_.end() &&
      (known->measured || !known->keeps_pace(required_headroom_) || known->score <= score_to_beat))
    return *known;
  if (most_trials_ > 0 && trials_ + static_cast<int>(footage_.size()) > most_trials_)
    return known == options_.end() ? Unmeasured(settings) : *known;
  std::vector<Trial> trials;
  for (std::size_t i = 0; i < footage_.size(); ++i) {
    trials.push_back(Get(settings, footage_[i]));
    const Trial& trial = trials.back();
    const bool useful = trial.done() && trial.headroom >= required_headroom_ &&
                        (!trial.quality || trial.quality->score() > score_to_beat);
    if (useful) continue;
    std::rotate(footage_.begin(), footage_.begin() + static_cast<std::ptrdiff_t>(i),
                footage_.begin() + static_cast<std::ptrdiff_t>(i) + 1);
    break;
  }
  Option option = MakeOption(trials, trials.size() == footage_.size());
  if (known != options_.end())
    *known = option;
  else
    options_.push_back(option);
  return option;
}

}  // namespace kettle
