// SPDX-License-Identifier: Apache-2.0
// What is searched for the best picture.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/option/option.h"

namespace kettle {

struct SearchSpace {
  EncodeSettings target;         // what is the same for all: rates, buffer, keyframe interval
  std::vector<FrameSize> sizes;  // largest first
  std::vector<FrameRate> rates;  // highest first
  std::vector<std::string> families;
  std::map<std::string, std::vector<int>> devices = {};  // of a family, those that are searched; none: its first
  bool refined = false;                                  // B-frames, look-ahead and passes are searched too
  std::optional<int> most_b_frames = {};                 // in a row; unset: any number
  std::set<std::string> without_b_frames = {};           // families whose driver makes none
  // Whether the machine holds it together with all else that runs beside it; unset: it need keep pace only.
  std::function<bool(const Option&)> fits = {};

  std::vector<int> DevicesOf(const std::string& family) const;  // one at least
  int DeviceOf(const std::string& family) const { return DevicesOf(family).front(); }
  bool Fits(const Option& option) const { return !fits || fits(option); }
  // Whether it is among what is searched.
  bool Has(const EncodeSettings& settings) const;
  std::optional<int> MostBFramesOf(const std::string& family) const;
};

}  // namespace kettle
