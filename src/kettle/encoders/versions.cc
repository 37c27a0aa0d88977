// SPDX-License-Identifier: Apache-2.0
#include "kettle/encoders/versions.h"

#include <link.h>
#include <sys/utsname.h>

#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>

#include "kettle/device/graphics.h"
#include "kettle/device/nvidia.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/media/libav.h"
#include "kettle/units/json_fields.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace {

namespace fs = std::filesystem;

// The file's own name of a library that is loaded, with its version: "libvpx.so.7.1.0". Empty if it is not loaded.
std::string LoadedLibrary(const std::string& name) {
  struct Search {
    std::string prefix, found;
  } search{name + ".so", ""};
  dl_iterate_phdr(
      [](dl_phdr_info* info, std::size_t, void* data) {
        auto& wanted = *static_cast<Search*>(data);
        const fs::path path = info->dlpi_name;
        if (!path.filename().string().starts_with(wanted.prefix)) return 0;
        std::error_code error;
        const fs::path real = fs::canonical(path, error);
        wanted.found = (error ? path : real).filename().string();
        return 1;
      },
      &search);
  return search.found;
}

std::string LibraryOf(const EncoderFamily& family) {
  static const std::map<std::string, std::string> libraries = {
      {"x264", "libx264"}, {"x265", "libx265"}, {"svt-av1", "libSvtAv1Enc"}, {"vp9", "libvpx"}};
  if (const auto own = libraries.find(family.name); own != libraries.end()) return LoadedLibrary(own->second);
  const unsigned version = avcodec_version();
  return fmt::format("libavcodec {}.{}.{}", AV_VERSION_MAJOR(version), AV_VERSION_MINOR(version),
                     AV_VERSION_MICRO(version));
}

// A module's own version, or the kernel's, of which it is a part.
std::string KernelDriverOf(const std::string& bus_address) {
  for (const GraphicsDevice& device : ReadGraphics()) {
    if (device.bus_address != bus_address || device.driver.empty()) continue;
    if (const auto version = FirstLine(fs::path("/sys/module") / device.driver / "version"))
      return device.driver + " " + *version;
    utsname kernel{};
    return uname(&kernel) == 0 ? device.driver + " " + kernel.release : device.driver;
  }
  return "";
}

std::string DriverOf(Interface interface, const std::string& device_name, const std::string& bus_address) {
  if (interface != Interface::kNvenc) return device_name;
  for (const NvidiaDevice& device : ReadNvidia())
    if (device.bus_address == bus_address) return device.driver_version;
  return "";
}

}  // namespace

Versions VersionsOf(const EncodeSettings& settings, const std::string& device_name, const std::string& bus_address) {
  const EncoderFamily& family = FindFamily(settings.encoder);
  Versions versions{LibraryOf(family), "", ""};
  if (family.device == DeviceKind::kCpu) return versions;
  versions.driver = DriverOf(family.interface, device_name, bus_address);
  versions.kernel_driver = KernelDriverOf(bus_address);
  return versions;
}

KETTLE_JSON(Versions, library, driver, kernel_driver)

}  // namespace kettle
