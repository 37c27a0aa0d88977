// SPDX-License-Identifier: Apache-2.0
#include "session/stand_in_gpu.h"

#include <filesystem>
#include <sstream>
#include <vector>

#include "kettle/input/input.h"
#include "kettle/process/command.h"
#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"
#include "kettle/units/text_file.h"

namespace kettle::app {

namespace fs = std::filesystem;

StandInGpu FindStandInGpu(const std::string& name, const Places& places) {
  constexpr double kMostSeconds = 10;
  if (name.empty()) return {};
  const std::string simulator = places.Simulator("kettle-gpu");
  fs::path path = name;
  if (name.find_first_of("/.") == name.npos && (!IsThere(path) || fs::is_directory(path)))
    path = places.share / "gpu" / (name + ".toml");
  if (!IsThere(path)) {
    std::vector<std::string> names;
    std::error_code error;
    for (const auto& entry : fs::directory_iterator(places.share / "gpu", error))
      if (entry.path().extension() == ".toml") names.push_back(entry.path().stem().string());
    FailInput("--stand-in-gpu: there is no profile \"{}\"{}", name, Suggestion(name, names));
  }
  CheckIsFile(path);  // a pipe would be waited for
  const CommandOutcome check = RunCommand({simulator, "--check", path.string()}, kMostSeconds);
  if (!check.ok()) FailInput("--stand-in-gpu: {}", check.output.substr(0, check.output.find('\n')));
  StandInGpu gpu{fs::absolute(path).string()};
  gpu.drivers = places.drivers;
  std::istringstream cards(check.output);  // "nvenc 0000:01:00.0", a line each
  for (std::string interface, address; cards >> interface >> address;)
    (interface == "vaapi" ? gpu.vaapi : gpu.nvenc).push_back(address);
  return gpu;
}

std::string SimulatedNotice() {
  return "SIMULATED: the GPU is a stand-in; its figures say nothing about a real card.\n";
}

}  // namespace kettle::app
