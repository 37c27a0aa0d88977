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
  std::string what;         // all that differs from the chosen stream: "bit rate 2450 kbit/s and size 576x324"
  EncodeSettings settings;  // the stream's from this step on
  double saves_kbps = 0;    // over the chosen stream
  double costs = 0;         // points below the chosen stream, on the footage where it looks worst
  double headroom = 0;
};

// Lowers the rate twice, then the size, then the frame rate; each step keeps what those before it did that is worth
// taking, and is a measured trial on `footage`. Sizes, the largest first, and rates are those of the lists, if they
// hold any: what was searched, or what destinations take; else those of CandidateSizes and CandidateRates. Steps whose
// trial fails or does not keep pace are left out.
std::vector<LadderStep> UplinkLadder(const Option& chosen, const Footage& footage, double required_headroom,
                                     TrialBook& book, const std::vector<FrameSize>& sizes = {},
                                     const std::vector<FrameRate>& rates = {});

// Those that save more of the line than the ones before them, or look better at the rate that they were lowered to. The
// others are lighter for the processors only.
std::vector<LadderStep> WorthTaking(const std::vector<LadderStep>& ladder);

void to_json(nlohmann::json& json, const LadderStep& step);
void from_json(const nlohmann::json& json, LadderStep& step);

}  // namespace kettle
