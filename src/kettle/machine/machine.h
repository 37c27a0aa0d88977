// SPDX-License-Identifier: Apache-2.0
// What this machine has. Every reader of files takes the file system's root, for tests on other trees.
#pragma once

#include <cstdint>
#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/units/units.h"

namespace kettle {

struct Processor {
  std::string model;
  int packages = 0, cores = 0, threads = 0;  // of the whole machine
  int usable_threads = 0;                    // that this process may run on
};

struct Disk {
  std::string folder;  // as asked for
  std::int64_t free_bytes = 0;
};

struct Machine {
  Processor processor;
  std::int64_t memory_bytes = 0;
  std::string kernel;
  std::vector<std::string> displays;   // "HDMI-A-1 1920x1080"; empty without a monitor
  std::vector<std::string> libraries;  // "libavcodec 59.37.100"
};

// Never throws for something that is not there: it is then empty or 0.
Machine ReadMachine(const std::filesystem::path& root = "/");

// Free space where `folder` is, or would be made. Throws Error(kMachine).
Disk ReadDisk(const std::filesystem::path& folder);

// The size of the first connected display's preferred mode, if there is one.
std::optional<FrameSize> DisplaySize(const std::filesystem::path& root = "/");

// A short fingerprint of what a measurement depends on: processor, memory, kernel, libraries.
std::string Digest(const Machine& machine);

void to_json(nlohmann::json& json, const Machine& machine);

}  // namespace kettle
