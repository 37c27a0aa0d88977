// SPDX-License-Identifier: Apache-2.0
// Graphics devices as the kernel shows them, and who uses their engines.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

namespace kettle {

struct GraphicsDevice {
  std::string name;            // from the PCI id list, otherwise its numbers
  std::string bus_address;     // "0000:01:00.0"; empty for a device that is not on PCI
  std::string vendor;          // "NVIDIA", "AMD", "Intel" or the number
  std::string driver;          // of the kernel, in use; empty: none
  std::string render_node;     // "/dev/dri/renderD128"; empty: none
  bool permitted = false;      // this user may open the render node
  std::string node_group;      // that would permit it
  std::optional<double> busy;  // share of its time, 0..1, where the driver tells
};

// Who asks to open a node. By default this process.
struct Identity {
  unsigned user = 0;
  std::vector<unsigned> groups;
};
Identity ThisProcess();

// Sorted by bus address. Never throws for something that is not there.
std::vector<GraphicsDevice> ReadGraphics(const std::filesystem::path& root = "/",
                                         const Identity& identity = ThisProcess());

struct RenderNode {
  std::string path, bus_address;
};
// Nodes to be opened in place of the machine's, for the rest of this process; none: the machine's.
void UseRenderNodes(std::vector<RenderNode> nodes);
// Where the device of that node sits, "" if nothing tells.
std::string BusAddressOfNode(const std::string& path);

// The path of the `index`th render node, as VA-API and QSV count their devices: by the kernel's order, but cards that
// encode by NVENC alone come last. Of one that is not there, the path that it would usually have.
std::string RenderNodePath(int index, const std::filesystem::path& root = "/");
int CountRenderNodes(const std::filesystem::path& root = "/");

// Busy nanoseconds of each engine ("render", "video", ...) by bus address, summed over all clients whose fdinfo may be
// read (kernel documentation, gpu/drm-usage-stats).
using EngineTimes = std::map<std::string, std::map<std::string, std::int64_t>>;
EngineTimes ReadEngineTimes(const std::filesystem::path& root = "/");

// Shares of `seconds` between two readings, 0..1.
std::map<std::string, std::map<std::string, double>> EngineUse(const EngineTimes& before, const EngineTimes& after,
                                                               double seconds);

void to_json(nlohmann::json& json, const GraphicsDevice& device);

}  // namespace kettle
