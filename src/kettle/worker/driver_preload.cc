// SPDX-License-Identifier: Apache-2.0
#include "kettle/worker/driver_preload.h"

#include <dlfcn.h>
#include <fmt/format.h>
#include <sys/mman.h>

#include <cstdlib>
#include <nlohmann/json.hpp>

#include "kettle/device/graphics.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr const char* kLibraryPath = "LD_LIBRARY_PATH";
constexpr std::size_t kFirstNode = 128;

// The stand-in libva knows a device by its node's name.
std::vector<RenderNode> NodesInMemory(const std::vector<std::string>& bus_addresses) {
  std::vector<RenderNode> nodes;
  for (const std::string& address : bus_addresses) {
    const int fd = memfd_create(fmt::format("renderD{}", kFirstNode + nodes.size()).c_str(), MFD_CLOEXEC);
    if (fd < 0) FailMachine("the stand-in GPU's node cannot be made");
    nodes.push_back({fmt::format("/proc/self/fd/{}", fd), address});
  }
  return nodes;
}

}  // namespace

std::vector<std::pair<std::string, std::string>> WorkerEnvironment(const StandInGpu& gpu) {
  if (gpu.vaapi.empty()) return {};
  const char* before = std::getenv(kLibraryPath);
  const std::string folder = (gpu.drivers / "va").string();
  return {{kLibraryPath, before && *before ? folder + ":" + before : folder}};
}

void PreloadStandInGpu(const StandInGpu& gpu) {
  setenv("KETTLE_STANDIN_GPU", std::filesystem::absolute(gpu.profile).c_str(), 1);
  for (const char* library : {"libcuda.so.1", "libnvidia-encode.so.1", "libnvidia-ml.so.1"})
    if (!dlopen((gpu.drivers / library).c_str(), RTLD_NOW | RTLD_GLOBAL))
      FailMachine("the stand-in GPU's driver does not load: {}", dlerror());
  UseRenderNodes(NodesInMemory(gpu.vaapi));
}

void to_json(nlohmann::json& json, const StandInGpu& gpu) {
  json = {{"profile", gpu.profile}, {"nvenc", gpu.nvenc}, {"vaapi", gpu.vaapi}, {"drivers", gpu.drivers.string()}};
}

void from_json(const nlohmann::json& json, StandInGpu& gpu) {
  json.at("profile").get_to(gpu.profile);
  json.at("nvenc").get_to(gpu.nvenc);
  json.at("vaapi").get_to(gpu.vaapi);
  gpu.drivers = json.at("drivers").get<std::string>();
}

}  // namespace kettle
