// SPDX-License-Identifier: Apache-2.0
// Lets a worker load the stand-in GPU's driver libraries before the codec library looks for the real ones.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <utility>
#include <vector>

namespace kettle {

// Simulated cards in place of this machine's.
struct StandInGpu {
  std::string profile;                    // a file's path; empty: there are none
  std::vector<std::string> nvenc, vaapi;  // its cards by how they are reached: their bus addresses
  std::filesystem::path drivers = {};     // where their libraries lie

  bool empty() const { return profile.empty(); }
};

// Variables that a worker needs from its start: libva is linked, so its stand-in has to be found first.
std::vector<std::pair<std::string, std::string>> WorkerEnvironment(const StandInGpu& gpu);

// Loads the stand-in driver libraries for the rest of this process and tells them to play the profile. From then on
// the codec library's own loading of the driver finds these: an already loaded library with the same SONAME wins. The
// nodes of simulated cards are files in memory. Throws Error(kMachine) if they do not load.
void PreloadStandInGpu(const StandInGpu& gpu);

void to_json(nlohmann::json& json, const StandInGpu& gpu);
void from_json(const nlohmann::json& json, StandInGpu& gpu);

}  // namespace kettle
