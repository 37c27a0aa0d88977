// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/machine.h"

#include <algorithm>
#include <nlohmann/json.hpp>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libswscale/swscale.h>
}

#include "kettle/machine/cgroup.h"
#include "kettle/machine/software.h"
#include "kettle/units/digest.h"
#include "kettle/units/error.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

std::string Version(const char* name, unsigned version) {
  return fmt::format("{} {}.{}.{}", name, version >> 16, version >> 8 & 255, version & 255);
}

std::int64_t Memory(const fs::path& root) {
  const std::string total = FieldOf(root / "proc/meminfo", "MemTotal");
  const std::int64_t bytes = total.empty() ? 0 : std::atoll(total.c_str()) * 1024;
  const auto limit = ReadCgroupLimits(root).memory_bytes;
  return limit ? std::min(bytes, *limit) : bytes;
}

}  // namespace

Machine ReadMachine(const fs::path& root) {
  Machine machine;
  machine.processor = ReadProcessor(root);
  machine.memory_bytes = Memory(root);
  machine.kernel = FirstLine(root / "proc/sys/kernel/osrelease").value_or("");
  machine.graphics = ReadGraphics(root);
  machine.displays = ReadDisplays(root);
  machine.audio = ReadAudio(root);
  machine.network = ReadNetwork(root);
  machine.libraries = {Version("libavcodec", avcodec_version()), Version("libavformat", avformat_version()),
                       Version("libswscale", swscale_version())};
  for (const std::string& library : LoadedCodecLibraries()) machine.libraries.push_back(library);
  machine.drivers = InstalledDrivers(root);
  return machine;
}

std::string Digest(const Machine& machine) {
  std::string text = fmt::format("{}|{}|{}|{}", machine.processor.model, machine.processor.capacity(),
                                 machine.memory_bytes >> 28, machine.kernel);
  for (const GraphicsDevice& device : machine.graphics) text += "|" + device.name + "|" + device.driver;
  for (const std::string& library : machine.libraries) text += "|" + library;
  for (const std::string& driver : machine.drivers) text += "|" + driver;
  return HexDigest(text);
}

void to_json(nlohmann::json& json, const Machine& machine) {
  json = {{"processor", machine.processor}, {"memory_bytes", machine.memory_bytes},
          {"kernel", machine.kernel},       {"graphics", machine.graphics},
          {"displays", machine.displays},   {"audio", machine.audio},
          {"libraries", machine.libraries}, {"drivers", machine.drivers}};
  if (machine.network) json["network"] = *machine.network;
}

}  // namespace kettle
