// SPDX-License-Identifier: Apache-2.0
// What is asked of the options that were measured.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "kettle/option/option.h"

namespace kettle {

// Those of `options` that were measured for one role: whatever encoder and preset, at its size and rates. In catalogue
// order.
std::vector<Option> OfRole(const std::vector<Option>& options, const EncodeSettings& target);

// The footage on which it looks worst; "" if it was measured on none.
std::string HardestClip(const Option& option);

// The best looking of `options` that keeps pace with another encoder, preset, size or frame rate, at the same bit rate.
std::optional<Option> RunnerUp(const std::vector<Option>& options, const Option& chosen, double headroom);

}  // namespace kettle
