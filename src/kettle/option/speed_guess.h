// SPDX-License-Identifier: Apache-2.0
// How fast a preset should be, by what others were measured to be.
#pragma once

#include <optional>
#include <vector>

#include "kettle/option/option.h"

namespace kettle {

struct SpeedGuess {
  double throughput_fps = 0;
  bool by_others = false;  // no trial of this preset tells, only those of presets beside it
};

// Of the options measured with the same encoder, device and bit rate: its own throughput; else that of another preset
// at the same picture, by the ratio of the two at another picture; else its own at the two pictures nearest in size
// and frame rate, whichever tells more, with as much change by either as this encoder has shown elsewhere; else by the
// two nearest presets that can be told, one on each side or both on one, with equal ratios from
// step to step. Nothing if fewer than two can be told, or the nearest is two steps away on the same side as the other.
std::optional<SpeedGuess> GuessSpeed(const std::vector<Option>& options, const EncodeSettings& settings);

}  // namespace kettle
