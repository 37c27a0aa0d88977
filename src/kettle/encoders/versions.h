// SPDX-License-Identifier: Apache-2.0
// Which builds an encode was made with, so that a comparison after an update can name what changed.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>

#include "kettle/encoders/settings.h"

namespace kettle {

struct Versions {
  std::string library;        // "libx264.so.164", "libavcodec 59.37.100"
  std::string driver;         // of a GPU, as it calls itself; empty: a processor, or it does not say
  std::string kernel_driver;  // of a GPU: "amdgpu 6.1.0-18-amd64"; empty likewise
};

// Of an encoder that is open in this process. `device_name` and `bus_address` are the GPU's, as the encoder told them.
Versions VersionsOf(const EncodeSettings& settings, const std::string& device_name, const std::string& bus_address);

void to_json(nlohmann::json& json, const Versions& versions);
void from_json(const nlohmann::json& json, Versions& versions);

}  // namespace kettle
