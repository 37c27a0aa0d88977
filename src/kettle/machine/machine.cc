// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/machine.h"

#include <hwloc.h>
#include <sched.h>
#include <sys/utsname.h>

#include <algorithm>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libswscale/swscale.h>
}

#include "kettle/units/digest.h"
#include "kettle/units/error.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

// The value after the first "key : value" line whose key starts with `key`.
std::string Field(const fs::path& file, const std::string& key) {
  std::ifstream stream(file);
  for (std::string line; std::getline(stream, line);)
    if (line.starts_with(key)) {
      const auto colon = line.find(':');
      const auto start = colon == line.npos ? line.npos : line.find_first_not_of(" \t", colon + 1);
      if (start != line.npos) return line.substr(start);
    }
  return "";
}

Processor ReadProcessor(const fs::path& root) {
  Processor processor;
  processor.model = Field(root / "proc/cpuinfo", "model name");
  hwloc_topology_t topology;
  if (hwloc_topology_init(&topology) != 0) return processor;
  if (hwloc_topology_load(topology) == 0) {
    processor.packages = hwloc_get_nbobjs_by_type(topology, HWLOC_OBJ_PACKAGE);
    processor.cores = hwloc_get_nbobjs_by_type(topology, HWLOC_OBJ_CORE);
    processor.threads = hwloc_get_nbobjs_by_type(topology, HWLOC_OBJ_PU);
  }
  hwloc_topology_destroy(topology);
  cpu_set_t allowed;
  if (sched_getaffinity(0, sizeof allowed, &allowed) == 0) processor.usable_threads = CPU_COUNT(&allowed);
  return processor;
}

struct Connector {
  std::string name, mode;
};

std::vector<Connector> Connectors(const fs::path& root) {
  std::vector<Connector> connectors;
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(root / "sys/class/drm", error)) {
    std::string status, mode;
    std::ifstream(entry.path() / "status") >> status;
    std::ifstream(entry.path() / "modes") >> mode;  // the preferred one comes first
    if (status == "connected" && !mode.empty()) connectors.push_back({entry.path().filename().string(), mode});
  }
  std::sort(connectors.begin(), connectors.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
  return connectors;
}

std::string Version(const char* name, unsigned version) {
  return fmt::format("{} {}.{}.{}", name, version >> 16, version >> 8 & 255, version & 255);
}

}  // namespace

Machine ReadMachine(const fs::path& root) {
  Machine machine;
  machine.processor = ReadProcessor(root);
  std::istringstream(Field(root / "proc/meminfo", "MemTotal")) >> machine.memory_bytes;
  machine.memory_bytes *= 1024;
  utsname names{};
  if (uname(&names) == 0) machine.kernel = names.release;
  for (const Connector& connector : Connectors(root)) machine.displays.push_back(connector.name + " " + connector.mode);
  machine.libraries = {Version("libavcodec", avcodec_version()), Version("libavformat", avformat_version()),
                       Version("libswscale", swscale_version())};
  return machine;
}

Disk ReadDisk(const fs::path& folder) {
  fs::path existing = fs::absolute(folder);
  while (!fs::exists(existing) && existing.has_parent_path() && existing != existing.parent_path())
    existing = existing.parent_path();
  std::error_code error;
  const auto space = fs::space(existing, error);
  if (error) FailMachine("cannot read the free space of {}: {}", folder.string(), error.message());
  return {folder.string(), static_cast<std::int64_t>(space.available)};
}

std::optional<FrameSize> DisplaySize(const fs::path& root) {
  for (const Connector& connector : Connectors(root)) try {
      return FrameSize::Parse(connector.mode);
    } catch (const Error&) {
      // A mode like "1920x1080i": not progressive, not a size to capture.
    }
  return std::nullopt;
}

std::string Digest(const Machine& machine) {
  std::string text = fmt::format("{}|{}|{}|{}", machine.processor.model, machine.processor.usable_threads,
                                 machine.memory_bytes >> 28, machine.kernel);
  for (const std::string& library : machine.libraries) text += "|" + library;
  return HexDigest(text);
}

void to_json(nlohmann::json& json, const Machine& machine) {
  json = {{"processor",
           {{"model", machine.processor.model},
            {"packages", machine.processor.packages},
            {"cores", machine.processor.cores},
            {"threads", machine.processor.threads},
            {"usable_threads", machine.processor.usable_threads}}},
          {"memory_bytes", machine.memory_bytes},
          {"kernel", machine.kernel},
          {"displays", machine.displays},
          {"libraries", machine.libraries}};
}

}  // namespace kettle
