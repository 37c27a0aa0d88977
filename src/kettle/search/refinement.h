// SPDX-License-Identifier: Apache-2.0
// B-frames, look-ahead and passes, asked for beside a preset. Adaptive quantisation and psychovisual optimisation are
// not among them: they trade what the metric measures for what it does not.
#pragma once

#include <optional>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/option/option.h"

namespace kettle {

// Unset: as the preset has it.
struct Refinement {
  std::optional<int> b_frames, look_ahead_frames;
  std::optional<bool> multi_pass;
  bool operator==(const Refinement&) const = default;
};
Refinement RefinementOf(const EncodeSettings& settings);
EncodeSettings WithRefinement(EncodeSettings settings, const Refinement& refinement);

// The same encode with one thing more or less of these, as far as its encoder has it: other B-frames than were
// measured, more look-ahead, multi-pass. `most_b_frames`: in a row; unset: any number.
std::vector<Refinement> NextRefinements(const Option& option, std::optional<int> most_b_frames);

}  // namespace kettle
