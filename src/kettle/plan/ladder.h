// SPDX-License-Identifier: Apache-2.0
// What to give up when the line does not hold, in order, with what each step saves and costs.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/option/option.h"
#include "kettle/option/trial_book.h"

namespace kettle {

struct LadderStep {
  std::string what;         // "bit rate 2450 kbit/s"
  EncodeSettings settings;  // the stream's from this step on
  double saves_kbps = 0;    // over the chosen stream
  double costs = 0;         // points below the chosen stream, on the footage where it looks worst
  double headroom = 0;
};

// Lowers the rate twice, then the size, then the frame rate; each step keeps what the ones before it did, and is a
// measured trial on `footage`. Sizes and rates are those of CandidateSizes and CandidateRates, or of the lists if
// destinations take no others. A size or frame rate that looks better at the lower rate costs less than nothing. Steps
// whose trial fails or does not keep pace are left out.
std::vector<LadderStep> UplinkLadder(const Option& chosen, const Footage& footage, double required_headroom,
                                     TrialBook& book, const std::vector<FrameSize>& taken_sizes = {},
                                     const std::vector<FrameRate>& taken_rates = {});

void to_json(nlohmann::json& json, const LadderStep& step);
void from_json(const nlohmann::json& json, LadderStep& step);

}  // namespace kettle
