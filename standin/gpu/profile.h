// SPDX-License-Identifier: Apache-2.0
// What a stand-in graphics card can do: read from a TOML file, documented in profiles/README.md.
#pragma once

#include <array>
#include <string>

namespace standin {

inline constexpr int kPresets = 7;

struct Profile {
  std::string name;
  int compute_major = 7, compute_minor = 5;
  int session_limit = 3;
  int max_width = 4096, max_height = 4096;
  // Millions of luma samples the engine codes in one second, for presets p1 (fastest) to p7.
  std::array<double, kPresets> megapixels_per_second{};
};

// Throws std::runtime_error with one line that names the file and the key.
Profile ReadProfile(const std::string& path);

}  // namespace standin
