// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/trial_book.h"

#include <algorithm>

namespace kettle {

Trial TrialBook::Get(const EncodeSettings& settings, const Footage& footage) {
  const std::string key = footage.key();
  const auto same = [&](const Trial& trial) { return trial.settings == settings && trial.footage_key == key; };
  const auto known = std::find_if(trials_.begin(), trials_.end(), same);
  const auto index = static_cast<std::size_t>(known - trials_.begin());
  const bool fresh = std::find(fresh_.begin(), fresh_.end(), index) != fresh_.end();
  if (known != trials_.end() && (fresh || known->done())) {
    if (!fresh) ++reused_;
    return *known;
  }
  Trial trial = runner_.Run({.settings = settings, .footage = footage, .only_if_fast_enough = true});
  ++measured_;
  if (known != trials_.end())
    *known = trial;
  else
    trials_.push_back(trial);
  fresh_.push_back(index);
  on_new_(trials_);
  return trial;
}

}  // namespace kettle
