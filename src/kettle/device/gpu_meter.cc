// SPDX-License-Identifier: Apache-2.0
#include "kettle/device/gpu_meter.h"

#include <algorithm>
#include <chrono>

#include "kettle/device/graphics.h"
#include "kettle/device/nvidia.h"

namespace kettle {

namespace {

double Now() { return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count(); }

// As drivers name them: "video" (i915), "enc", "enc_1" (amdgpu); "render" and "gfx", "compute".
bool Encodes(const std::string& engine) { return engine == "video" || engine.starts_with("enc"); }
bool Computes(const std::string& engine) { return engine == "render" || engine == "gfx" || engine == "compute"; }

}  // namespace

struct GpuMeter::State {
  std::filesystem::path root;
  NvidiaMeter nvidia;
  std::size_t nvidia_count = 0;
  std::vector<GraphicsDevice> others;
  EngineTimes times;
  double seconds = 0;
};

GpuMeter::GpuMeter(std::filesystem::path root) : state_(std::make_unique<State>()) {
  state_->root = std::move(root);
  state_->nvidia_count = state_->nvidia.Read().size();
  for (const GraphicsDevice& device : ReadGraphics(state_->root, ThisProcess()))
    if (device.vendor != "NVIDIA" && !device.bus_address.empty()) state_->others.push_back(device);
  if (!state_->others.empty()) state_->times = ReadEngineTimes(state_->root);
  state_->seconds = Now();
}

GpuMeter::~GpuMeter() = default;

std::vector<GpuUse> GpuMeter::Read() {
  std::vector<GpuUse> gpus(state_->nvidia_count + state_->others.size());
  if (gpus.empty()) return gpus;
  for (const NvidiaDevice& device : state_->nvidia.Read())
    if (static_cast<std::size_t>(device.index) < state_->nvidia_count)
      gpus[static_cast<std::size_t>(device.index)] = {device.gpu_use.value_or(0), device.encoder_use.value_or(0),
                                                      device.name, device.bus_address};
  if (state_->others.empty()) return gpus;
  const double now = Now();
  EngineTimes times = ReadEngineTimes(state_->root);
  const auto use = EngineUse(state_->times, times, now - state_->seconds);
  const auto graphics = ReadGraphics(state_->root, ThisProcess());
  for (std::size_t i = 0; i < state_->others.size(); ++i) {
    GpuUse& gpu = gpus[state_->nvidia_count + i];
    const std::string& address = gpu.bus_address = state_->others[i].bus_address;
    gpu.name = state_->others[i].name;
    if (const auto engines = use.find(address); engines != use.end())
      for (const auto& [engine, share] : engines->second) {
        if (Encodes(engine)) gpu.encoder = std::max(gpu.encoder, share);
        if (Computes(engine)) gpu.compute = std::max(gpu.compute, share);
      }
    for (const GraphicsDevice& device : graphics)
      if (device.bus_address == address && device.busy) gpu.compute = *device.busy;
  }
  state_->times = std::move(times);
  state_->seconds = now;
  return gpus;
}

GpuUse Busiest(const std::vector<GpuUse>& gpus) {
  GpuUse busiest;
  for (const GpuUse& gpu : gpus) {
    busiest.compute = std::max(busiest.compute, gpu.compute);
    busiest.encoder = std::max(busiest.encoder, gpu.encoder);
  }
  return busiest;
}

}  // namespace kettle
