// SPDX-License-Identifier: Apache-2.0
// B-frames, look-ahead and passes of a choice, tried one by one.
#pragma once

#include <optional>

#include "kettle/option/option_book.h"
#include "kettle/placement/placement.h"

namespace kettle {

inline constexpr double kWorthRefining = 0.25;  // points

// What RefineStream may change. Unset: as the preset has it.
struct Refinement {
  std::optional<int> b_frames, look_ahead_frames;
  std::optional<bool> multi_pass;
  bool operator==(const Refinement&) const = default;
};
Refinement RefinementOf(const EncodeSettings& settings);
EncodeSettings WithRefinement(EncodeSettings settings, const Refinement& refinement);

// `pair` with its stream's settings changed where that looks better by at least a quarter of a point, keeps pace and
// still fits beside the recording; the same pair if nothing does. Only settings that the metric judges as eyes do:
// adaptive quantisation and psychovisual optimisation trade what it measures for what it does not. `most_b_frames`:
// what a destination takes, if that is a limit.
Pair RefineStream(const Pair& pair, const Capacity& capacity, OptionBook& book, std::optional<int> most_b_frames = {});

}  // namespace kettle
