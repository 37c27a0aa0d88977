// SPDX-License-Identifier: Apache-2.0
// Completion for bash from the command tables, the encoder catalogue, the scenes, and the names of shipped files.
#pragma once

#include <filesystem>
#include <string>

namespace kettle::app {

// A script for bash-completion. The folders hold the shipped destinations and GPU profiles, TOML files by name.
std::string BashCompletion(const std::filesystem::path& destinations, const std::filesystem::path& gpu_profiles);

}  // namespace kettle::app
