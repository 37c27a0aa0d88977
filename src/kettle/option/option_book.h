// SPDX-License-Identifier: Apache-2.0
// Options by their settings: measures each one once.
#pragma once

#include <set>
#include <utility>
#include <vector>

#include "kettle/option/option.h"
#include "kettle/option/trial_book.h"

namespace kettle {

// Options measured when first asked for: on the hardest footage first, and on no more than it takes to know that an
// option is of no use.
class OptionBook {
 public:
  // At most `most_trials` are asked for; beyond them an option stays unmeasured and says so. 0: no limit.
  OptionBook(TrialBook& book, std::vector<Footage> footage, double required_headroom, int most_trials = 0)
      : book_(book), footage_(std::move(footage)), required_headroom_(required_headroom), most_trials_(most_trials) {}

  // Stops at the first footage on which the option lacks headroom, or looks no better than `score_to_beat`.
  Option Measure(const EncodeSettings& settings, double score_to_beat = -1);

  // True if Measure was asked for it: asking again costs nothing, or little if now more is to be beaten.
  bool Known(const EncodeSettings& settings) const;

  const std::vector<Option>& options() const { return options_; }  // each once, in the order first asked
  int trials() const { return trials_; }                           // asked for, each once
  double encode_seconds() const { return encode_seconds_; }        // that those took
  double required_headroom() const { return required_headroom_; }

 private:
  Trial Get(const EncodeSettings& settings, const Footage& footage);

  TrialBook& book_;
  std::vector<Footage> footage_;  // the one that decided last comes first
  double required_headroom_;
  int most_trials_;
  std::vector<Option> options_;
  std::vector<std::pair<EncodeSettings, std::string>> asked_;
  int trials_ = 0;
  double encode_seconds_ = 0;
};

}  // namespace kettle
