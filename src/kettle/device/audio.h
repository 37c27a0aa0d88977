// SPDX-License-Identifier: Apache-2.0
// The sound devices that the kernel knows (ALSA's files under /proc).
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

namespace kettle {

struct AudioDevice {
  int card = 0;
  std::string name;
  bool playback = false, capture = false;
  std::vector<int> rates_hz;          // that the device says it takes, ascending; empty: not told
  std::optional<int> rate_in_use_hz;  // of a stream that is open now
};

// Sound cards from /proc/asound: HD-audio codecs and USB devices tell their rates.
std::vector<AudioDevice> ReadAudio(const std::filesystem::path& root = "/");

void to_json(nlohmann::json& json, const AudioDevice& device);

}  // namespace kettle
