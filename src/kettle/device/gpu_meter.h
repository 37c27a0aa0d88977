// SPDX-License-Identifier: Apache-2.0
// How busy the GPUs are, second by second.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

namespace kettle {

// Shares of the time since the last reading, or of the driver's own last second, 0..1.
struct GpuUse {
  double compute = 0;                       // shader units: what a game takes
  double encoder = 0;                       // encode engine
  std::string name = {}, bus_address = {};  // of the card
};

// Asks the NVIDIA driver's management library, and of other GPUs the kernel (gpu_busy_percent, and drm-engine-* in
// /proc/PID/fdinfo; "DRM client usage stats" in the kernel's documentation). The library runs in this process.
class GpuMeter {
 public:
  explicit GpuMeter(std::filesystem::path root = "/");
  ~GpuMeter();

  // By GPU: NVIDIA's in the driver's order, then the others in the bus's. The same number in every reading; what cannot
  // be read is 0.
  std::vector<GpuUse> Read();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// Of the GPU whose part is busiest; 0 without a GPU.
GpuUse Busiest(const std::vector<GpuUse>& gpus);

}  // namespace kettle
