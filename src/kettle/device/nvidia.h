// SPDX-License-Identifier: Apache-2.0
// NVIDIA devices as their driver's management library tells of them.
#pragma once

#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

namespace kettle {

struct NvidiaDevice {
  int index = 0;  // the driver's own, as options take it
  std::string name, driver_version, bus_address;
  std::optional<double> gpu_use, encoder_use;  // shares of the time, 0..1
  std::optional<int> encode_sessions;          // open now
};

// Loads libnvidia-ml.so.1 once, for many readings; no devices if it is not there or refuses. The library runs in this
// process.
class NvidiaMeter {
 public:
  NvidiaMeter();
  ~NvidiaMeter();
  std::vector<NvidiaDevice> Read() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// Where the `index`th device sits, as CUDA and NVENC count them, which may not be the management library's order; empty
// if there is none. Loads the driver: call it in a worker.
std::string CudaBusAddress(int index);

// One reading: call it in a worker.
std::vector<NvidiaDevice> ReadNvidia();

void to_json(nlohmann::json& json, const NvidiaDevice& device);
void from_json(const nlohmann::json& json, NvidiaDevice& device);

}  // namespace kettle
