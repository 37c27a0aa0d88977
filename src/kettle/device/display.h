// SPDX-License-Identifier: Apache-2.0
// The displays that are connected, from their EDID blocks.
#pragma once

#include <cstdint>
#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/units/units.h"

namespace kettle {

struct Display {
  std::string connector;  // "card0-HDMI-A-1"
  std::string name;       // the monitor's own, if it tells one
  FrameSize size;         // native
  double refresh_hz = 0;  // at the native size; 0: not known
};

// The preferred timing and the name that a monitor tells: VESA E-EDID 1.4, section 3.10 (18-byte descriptors). Nothing
// if the block is not whole.
struct Edid {
  FrameSize size;
  double refresh_hz = 0;
  std::string name;
};
std::optional<Edid> ParseEdid(const std::string& bytes);

// Connected monitors by connector.
std::vector<Display> ReadDisplays(const std::filesystem::path& root = "/");

// The size of the first connected monitor, if there is one.
std::optional<FrameSize> DisplaySize(const std::filesystem::path& root = "/");

void to_json(nlohmann::json& json, const Display& display);

}  // namespace kettle
