// SPDX-License-Identifier: Apache-2.0
// The stand-in libnvidia-ml.so.1: the devices' names and use, asked of the device process anew in every call.
#include <cstdint>
#include <cstring>

#include "channel.h"

namespace {

// Return codes of the management library's public interface.
constexpr int kSuccess = 0, kUninitialised = 1, kInvalidArgument = 2;

// A handle is a device's number, from 1 on.
bool Info(void* handle, standin::DeviceInfo& info) {
  const auto devices = standin::AskDevices(standin::Interface::kNvenc);
  const auto index = static_cast<std::size_t>(reinterpret_cast<std::intptr_t>(handle)) - 1;
  if (index >= devices.size()) return false;
  info = devices[index];
  return true;
}

int Copy(const char* from, char* to, unsigned length) {
  if (length == 0) return kInvalidArgument;
  std::strncpy(to, from, length - 1);
  to[length - 1] = 0;
  return kSuccess;
}

}  // namespace

extern "C" {

int nvmlInit_v2() { return standin::AskDevices(standin::Interface::kNvenc).empty() ? kUninitialised : kSuccess; }
int nvmlShutdown() { return kSuccess; }

int nvmlDeviceGetCount_v2(unsigned* count) {
  *count = static_cast<unsigned>(standin::AskDevices(standin::Interface::kNvenc).size());
  return kSuccess;
}

int nvmlDeviceGetHandleByIndex_v2(unsigned index, void** handle) {
  *handle = reinterpret_cast<void*>(static_cast<std::intptr_t>(index) + 1);
  standin::DeviceInfo info;
  return Info(*handle, info) ? kSuccess : kInvalidArgument;
}

int nvmlDeviceGetName(void* handle, char* name, unsigned length) {
  standin::DeviceInfo info;
  return Info(handle, info) ? Copy(info.name, name, length) : kInvalidArgument;
}

int nvmlSystemGetDriverVersion(char* version, unsigned length) {
  const auto devices = standin::AskDevices(standin::Interface::kNvenc);
  return devices.empty() ? kUninitialised : Copy(devices.front().driver_version, version, length);
}

struct PciInfo {
  char bus_id_legacy[16];
  unsigned domain, bus, device, pci_device_id, pci_subsystem_id;
  char bus_id[32];
};
int nvmlDeviceGetPciInfo_v3(void* handle, PciInfo* pci) {
  standin::DeviceInfo info;
  if (!Info(handle, info)) return kInvalidArgument;
  *pci = {};
  std::strncpy(pci->bus_id, info.bus_address, sizeof pci->bus_id - 1);
  return kSuccess;
}

struct Utilization {
  unsigned gpu, memory;
};
int nvmlDeviceGetUtilizationRates(void* handle, Utilization* use) {
  standin::DeviceInfo info;
  if (!Info(handle, info)) return kInvalidArgument;
  *use = {info.gpu_percent, 0};
  return kSuccess;
}

int nvmlDeviceGetEncoderUtilization(void* handle, unsigned* percent, unsigned* period_us) {
  standin::DeviceInfo info;
  if (!Info(handle, info)) return kInvalidArgument;
  *percent = info.encoder_percent;
  *period_us = 1'000'000;
  return kSuccess;
}

int nvmlDeviceGetEncoderStats(void* handle, unsigned* sessions, unsigned* fps, unsigned* latency_us) {
  standin::DeviceInfo info;
  if (!Info(handle, info)) return kInvalidArgument;
  *sessions = info.sessions;
  *fps = *latency_us = 0;  // not told
  return kSuccess;
}

}  // extern "C"
