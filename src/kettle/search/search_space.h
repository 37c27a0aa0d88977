// SPDX-License-Identifier: Apache-2.0
// What is searched for the best picture.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "kettle/encoders/settings.h"

namespace kettle {

struct SearchSpace {
  EncodeSettings target;         // what is the same for all: rates, buffer, keyframe interval
  std::vector<FrameSize> sizes;  // largest first
  std::vector<FrameRate> rates;  // highest first
  std::vector<std::string> families;
  std::map<std::string, int> devices = {};  // on which of its devices a family is searched, if not on its first

  int DeviceOf(const std::string& family) const {
    const auto other = devices.find(family);
    return other == devices.end() ? 0 : other->second;
  }
};

}  // namespace kettle
