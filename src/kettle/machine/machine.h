// SPDX-License-Identifier: Apache-2.0
// What this machine has. Every reader of files takes the file system's root, for tests on other trees.
#pragma once

#include <cstdint>
#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/device/audio.h"
#include "kettle/device/display.h"
#include "kettle/device/graphics.h"
#include "kettle/device/network.h"
#include "kettle/machine/processor.h"

namespace kettle {

struct Machine {
  Processor processor;
  std::int64_t memory_bytes = 0;  // that this process may use: of the machine, or of its cgroup
  std::string kernel;
  std::vector<GraphicsDevice> graphics;
  std::vector<Display> displays;
  std::vector<AudioDevice> audio;
  std::optional<NetworkLink> network;  // that streams go by; not set: none is seen
  std::vector<std::string> libraries;  // "libavcodec 59.37.100", "libx264.so.164 build 4d5b8f1c"
  std::vector<std::string> drivers;    // of GPUs: modules with their versions, files with size and time
};

// Never throws for something that is not there: it is then empty or 0.
Machine ReadMachine(const std::filesystem::path& root = "/");

// A short fingerprint of what a measurement depends on: processor, memory, kernel, GPUs and their drivers,
// the builds of the codec libraries.
std::string Digest(const Machine& machine);

void to_json(nlohmann::json& json, const Machine& machine);

}  // namespace kettle
