// SPDX-License-Identifier: Apache-2.0
#include "session/places.h"

#include "kettle/units/error.h"

namespace kettle::app {

namespace fs = std::filesystem;

namespace {

fs::path PrefixOf(const fs::path& engine) { return engine.parent_path().parent_path().parent_path(); }

}  // namespace

std::string Places::Simulator(const std::string& program) const {
  const fs::path path = PrefixOf(engine) / "bin" / program;
  std::error_code absent;
  if (!fs::exists(path, absent))
    FailInput("the simulator {} is not installed: sudo apt install {}", program, kSimulatorsPackage);
  return path.string();
}

Places FindPlaces() {
  const fs::path engine = fs::canonical("/proc/self/exe");
  return {engine, PrefixOf(engine) / "lib" / "fast-kettle" / "standin", PrefixOf(engine) / "share" / "fast-kettle"};
}

}  // namespace kettle::app
