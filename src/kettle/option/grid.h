// SPDX-License-Identifier: Apache-2.0
// From what is to be combined to the list of encodes to measure.
#pragma once

#include <set>
#include <string>
#include <utility>
#include <vector>

#include "kettle/encoders/settings.h"

namespace kettle {

// Each list is combined with each other; an empty one leaves what the base says.
struct Grid {
  std::vector<std::string> encoders;  // never empty
  bool named = false;                 // the user named the encoders: one that cannot do what is asked is an error
  std::vector<std::string> presets;   // of those encoders that have them; empty: all
  // Encoders, each with one of its devices: only those. Empty: each encoder on the base's device.
  std::set<std::pair<std::string, int>> devices;
  std::vector<FrameSize> sizes;
  std::vector<FrameRate> frame_rates;
  std::vector<RateControl> rate_controls;
  std::vector<BitRate> bit_rates;
};

// All combinations, the fastest presets of every encoder first. `base` gives what the grid leaves open; a maximum rate
// that the base has beside its own average is kept in proportion. Throws Error(kInput): a preset that none of the
// encoders has, a setting that a named encoder cannot do, no combination at all.
std::vector<EncodeSettings> Combine(const Grid& grid, const EncodeSettings& base);

}  // namespace kettle
