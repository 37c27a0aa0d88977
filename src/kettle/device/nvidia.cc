// SPDX-License-Identifier: Apache-2.0
#include "kettle/device/nvidia.h"

#include <dlfcn.h>

#include <algorithm>
#include <cctype>
#include <nlohmann/json.hpp>

#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

// The part of the management library's public interface that is called here (NVML API reference); its header belongs
// to the driver's own packages.
using Handle = void*;
struct Utilization {
  unsigned gpu, memory;
};
struct PciInfo {
  char bus_id_legacy[16];
  unsigned domain, bus, device, pci_device_id, pci_subsystem_id;
  char bus_id[32];
};

class Library {
 public:
  Library() : library_(dlopen("libnvidia-ml.so.1", RTLD_NOW)) { ready_ = library_ && Call<int()>("nvmlInit_v2") == 0; }
  ~Library() {
    if (ready_) Call<int()>("nvmlShutdown");
    if (library_) dlclose(library_);
  }
  Library(const Library&) = delete;
  Library& operator=(const Library&) = delete;
  bool ready() const { return ready_; }

  // 0 is success; -1 if this version of the library has no such function.
  template <typename Function, typename... Arguments>
  int Call(const char* name, Arguments... arguments) const {
    auto* function = reinterpret_cast<Function*>(dlsym(library_, name));
    return function ? function(arguments...) : -1;
  }

 private:
  void* library_;
  bool ready_ = false;
};

// "00000000:01:00.0" as the kernel writes it: "0000:01:00.0".
std::string KernelAddress(std::string address) {
  std::transform(address.begin(), address.end(), address.begin(), [](unsigned char c) { return std::tolower(c); });
  const auto colon = address.find(':');
  return colon != address.npos && colon > 4 ? address.substr(colon - 4) : address;
}

NvidiaDevice ReadOne(const Library& library, int index, Handle handle) {
  NvidiaDevice device;
  device.index = index;
  char text[96] = {};
  if (library.Call<int(Handle, char*, unsigned)>("nvmlDeviceGetName", handle, text, 96u) == 0) device.name = text;
  if (library.Call<int(char*, unsigned)>("nvmlSystemGetDriverVersion", text, 96u) == 0) device.driver_version = text;
  PciInfo pci{};
  if (library.Call<int(Handle, PciInfo*)>("nvmlDeviceGetPciInfo_v3", handle, &pci) == 0)
    device.bus_address = KernelAddress(pci.bus_id);
  Utilization use{};
  if (library.Call<int(Handle, Utilization*)>("nvmlDeviceGetUtilizationRates", handle, &use) == 0)
    device.gpu_use = use.gpu / 100.0;
  unsigned encoder = 0, period_us = 0;
  if (library.Call<int(Handle, unsigned*, unsigned*)>("nvmlDeviceGetEncoderUtilization", handle, &encoder,
                                                      &period_us) == 0)
    device.encoder_use = encoder / 100.0;
  unsigned sessions = 0, fps = 0, latency = 0;
  if (library.Call<int(Handle, unsigned*, unsigned*, unsigned*)>("nvmlDeviceGetEncoderStats", handle, &sessions, &fps,
                                                                 &latency) == 0)
    device.encode_sessions = static_cast<int>(sessions);
  return device;
}

}  // namespace

struct NvidiaMeter::State {
  Library library;
};

NvidiaMeter::NvidiaMeter() : state_(std::make_unique<State>()) {}
NvidiaMeter::~NvidiaMeter() = default;

std::vector<NvidiaDevice> NvidiaMeter::Read() const {
  std::vector<NvidiaDevice> devices;
  const Library& library = state_->library;
  unsigned count = 0;
  if (!library.ready() || library.Call<int(unsigned*)>("nvmlDeviceGetCount_v2", &count) != 0) return devices;
  for (unsigned index = 0; index < count; ++index) {
    Handle handle = nullptr;
    if (library.Call<int(unsigned, Handle*)>("nvmlDeviceGetHandleByIndex_v2", index, &handle) == 0)
      devices.push_back(ReadOne(library, static_cast<int>(index), handle));
  }
  return devices;
}

// By CUDA's driver interface (CUDA Driver API reference, device management).
std::string CudaBusAddress(int index) {
  struct Closer {
    void operator()(void* library) const { dlclose(library); }
  };
  const std::unique_ptr<void, Closer> library(dlopen("libcuda.so.1", RTLD_NOW));
  if (!library) return "";
  const auto find = [&]<typename Function>(const char* name, Function*& function) {
    function = reinterpret_cast<Function*>(dlsym(library.get(), name));
    return function != nullptr;
  };
  int (*init)(unsigned) = nullptr, (*get)(int*, int) = nullptr, (*address)(char*, int, int) = nullptr;
  int device = 0;
  char text[32] = {};
  if (!find("cuInit", init) || !find("cuDeviceGet", get) || !find("cuDeviceGetPCIBusId", address) || init(0) != 0 ||
      get(&device, index) != 0 || address(text, sizeof text, device) != 0)
    return "";
  return KernelAddress(text);
}

std::vector<NvidiaDevice> ReadNvidia() { return NvidiaMeter().Read(); }

void to_json(nlohmann::json& json, const NvidiaDevice& d) {
  KETTLE_WRITE_FIELDS(json, d, index, name, driver_version, bus_address);
  if (d.gpu_use) json["gpu_use"] = *d.gpu_use;
  if (d.encoder_use) json["encoder_use"] = *d.encoder_use;
  if (d.encode_sessions) json["encode_sessions"] = *d.encode_sessions;
}

void from_json(const nlohmann::json& json, NvidiaDevice& d) {
  KETTLE_READ_FIELDS(json, d, index, name, driver_version, bus_address);
  if (json.contains("gpu_use")) d.gpu_use = json["gpu_use"].get<double>();
  if (json.contains("encoder_use")) d.encoder_use = json["encoder_use"].get<double>();
  if (json.contains("encode_sessions")) d.encode_sessions = json["encode_sessions"].get<int>();
}

}  // namespace kettle
