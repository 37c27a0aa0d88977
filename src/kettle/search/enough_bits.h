// SPDX-License-Identifier: Apache-2.0
// The bit rate from which more bits stop paying.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/option/trial_book.h"

namespace kettle {

inline constexpr double kWorthTenPercent = 0.5;  // points that a tenth more bits must gain

struct EnoughBits {
  struct Step {
    double kbps = 0, score = 0;
  };
  EncodeSettings settings;             // that were measured, at the highest rate
  std::string footage;                 // on which
  std::vector<Step> steps;             // by bit rate, falling by halves
  std::optional<double> kbps;          // unset: at the highest rate they still pay, or it could not be measured
  double low_kbps = 0, high_kbps = 0;  // its interval, by the scores' intervals
};

// Measures `most` at its bit rate and at halves of it, until the slope between three neighbours, as a parabola over the
// logarithm of the bit rate has it, passes half a point for a tenth more bits; scores from 90 on, where no difference
// is seen, count as the same; at least at three rates, or at two if twice as many bits gain so much that they pay at
// the highest rate for sure. A preset that is too slow for its quality to be measured is replaced by the next faster,
// and what none codes in time by half of it.
EnoughBits FindEnoughBits(EncodeSettings most, const Footage& footage, TrialBook& book);

void to_json(nlohmann::json& json, const EnoughBits& enough);
void from_json(const nlohmann::json& json, EnoughBits& enough);

}  // namespace kettle
