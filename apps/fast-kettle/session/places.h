// SPDX-License-Identifier: Apache-2.0
// Where the installation keeps its programs and what ships with them.
#pragma once

#include <filesystem>
#include <string>

namespace kettle::app {

// The Debian package that holds the simulated GPU, ingest and game.
inline constexpr const char* kSimulatorsPackage = "fast-kettle-simulators";

struct Places {
  std::filesystem::path engine, drivers, share;

  // The full path of one of the simulators. Throws Error(kInput), naming the package, if it is not installed.
  std::string Simulator(const std::string& program) const;
};

// Beside the engine that runs. Throws std::filesystem::filesystem_error if /proc is not there.
Places FindPlaces();

}  // namespace kettle::app
