// SPDX-License-Identifier: Apache-2.0
#include "kettle/device/graphics.h"

#include <sys/stat.h>
#include <unistd.h>

extern "C" {
#include <pci/pci.h>
}

#include <algorithm>
#include <fstream>
#include <memory>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "kettle/units/error.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

constexpr unsigned kDisplayClass = 0x03;

std::optional<unsigned> Hex(const fs::path& file) {
  const auto line = FirstLine(file);
  if (!line) return std::nullopt;
  try {
    return static_cast<unsigned>(std::stoul(*line, nullptr, 16));
  } catch (const std::exception&) {
    return std::nullopt;
  }
}

std::string VendorName(unsigned vendor) {
  switch (vendor) {
    case 0x10de: return "NVIDIA";
    case 0x1002: return "AMD";
    case 0x8086: return "Intel";
    default: return fmt::format("vendor {:04x}", vendor);
  }
}

void Ignore(char*, ...) {}

std::string PciName(unsigned vendor, unsigned device) {
  struct Deleter {
    void operator()(pci_access* access) const { pci_cleanup(access); }
  };
  const std::unique_ptr<pci_access, Deleter> access(pci_alloc());
  // Only names are looked up, so the library is not started, which would end this program where there is no PCI bus; it
  // wants somewhere to say things all the same.
  access->debug = access->warning = Ignore;
  char buffer[256];
  const int flags = PCI_LOOKUP_DEVICE | PCI_LOOKUP_NO_NUMBERS;
  const char* name =
      pci_lookup_name(access.get(), buffer, sizeof buffer, flags, static_cast<int>(vendor), static_cast<int>(device));
  return VendorName(vendor) + " " + (name ? std::string(name) : fmt::format("device {:04x}", device));
}

std::string NodeIn(const fs::path& drm_folder) {
  for (const fs::path& entry : Entries(drm_folder))
    if (entry.filename().string().starts_with("renderD")) return "/dev/dri/" + entry.filename().string();
  return "";
}

std::string GroupName(unsigned id, const fs::path& root) {
  std::ifstream file(root / "etc/group");
  for (std::string line; std::getline(file, line);) {  // name:password:id:members
    std::istringstream fields(line);
    std::string name, password, number;
    std::getline(fields, name, ':');
    std::getline(fields, password, ':');
    std::getline(fields, number, ':');
    if (number == std::to_string(id)) return name;
  }
  return fmt::format("{}", id);
}

// By owner and mode; access lists, which desktops give to whoever sits there, are asked for with access(2) on "/".
void CheckNode(const fs::path& root, const Identity& identity, GraphicsDevice& device) {
  struct stat status {};
  const fs::path node = root / fs::path(device.render_node).relative_path();
  if (device.render_node.empty() || stat(node.c_str(), &status) != 0) return;
  const bool member = std::count(identity.groups.begin(), identity.groups.end(), status.st_gid) > 0;
  device.permitted = identity.user == 0 || (status.st_uid == identity.user && (status.st_mode & 0600) == 0600) ||
                     (member && (status.st_mode & 0060) == 0060) || (status.st_mode & 0006) == 0006 ||
                     (root == "/" && access(node.c_str(), R_OK | W_OK) == 0);
  device.node_group = GroupName(status.st_gid, root);
}

GraphicsDevice PciDevice(const fs::path& folder) {
  GraphicsDevice device;
  const unsigned vendor = Hex(folder / "vendor").value_or(0), id = Hex(folder / "device").value_or(0);
  device.bus_address = folder.filename().string();
  device.vendor = VendorName(vendor);
  device.name = PciName(vendor, id);
  device.driver = LinkTarget(folder / "driver");
  device.render_node = NodeIn(folder / "drm");
  if (const auto percent = FirstNumber(folder / "gpu_busy_percent")) device.busy = *percent / 100;
  return device;
}

std::vector<RenderNode>& OtherNodes() {
  static std::vector<RenderNode> nodes;
  return nodes;
}

}  // namespace

Identity ThisProcess() {
  Identity identity{geteuid(), {getegid()}};
  const int count = getgroups(0, nullptr);
  std::vector<gid_t> groups(static_cast<std::size_t>(std::max(0, count)));
  if (count > 0 && getgroups(count, groups.data()) == count)
    identity.groups.insert(identity.groups.end(), groups.begin(), groups.end());
  return identity;
}

std::vector<GraphicsDevice> ReadGraphics(const fs::path& root, const Identity& identity) {
  std::vector<GraphicsDevice> devices;
  std::set<std::string> seen;
  for (const fs::path& folder : Entries(root / "sys/bus/pci/devices")) {
    if (Hex(folder / "class").value_or(0) >> 16 != kDisplayClass) continue;
    devices.push_back(PciDevice(folder));
    seen.insert(devices.back().render_node);
  }
  // On a board without PCI the node itself is all there is.
  for (const fs::path& entry : Entries(root / "sys/class/drm")) {
    const std::string node = "/dev/dri/" + entry.filename().string();
    if (!entry.filename().string().starts_with("renderD") || seen.contains(node)) continue;
    GraphicsDevice device;
    device.driver = LinkTarget(entry / "device/driver");
    device.name = "GPU of driver " + device.driver;
    device.vendor = device.driver;
    device.render_node = node;
    devices.push_back(std::move(device));
  }
  for (GraphicsDevice& device : devices) CheckNode(root, identity, device);
  return devices;
}

namespace {

// The paths of render nodes, those first that may encode by VA-API: what an interface calls its first device should be
// one that it can use. NVIDIA's cards encode by NVENC alone.
std::vector<std::string> RenderNodes(const fs::path& root) {
  std::vector<std::string> nodes;
  for (const fs::path& entry : Entries(root / "dev/dri"))
    if (entry.filename().string().starts_with("renderD")) nodes.push_back("/dev/dri/" + entry.filename().string());
  if (nodes.size() < 2) return nodes;
  std::set<std::string> without;
  for (const GraphicsDevice& device : ReadGraphics(root))
    if (device.driver == "nvidia" || device.driver == "nouveau") without.insert(device.render_node);
  std::stable_partition(nodes.begin(), nodes.end(), [&](const std::string& node) { return !without.contains(node); });
  return nodes;
}

}  // namespace

void UseRenderNodes(std::vector<RenderNode> nodes) { OtherNodes() = std::move(nodes); }

std::string BusAddressOfNode(const std::string& path) {
  for (const RenderNode& node : OtherNodes())
    if (node.path == path) return node.bus_address;
  for (const GraphicsDevice& device : ReadGraphics())
    if (device.render_node == path) return device.bus_address;
  return "";
}

std::string RenderNodePath(int index, const fs::path& root) {
  const std::vector<RenderNode>& others = OtherNodes();
  if (index >= 0 && static_cast<std::size_t>(index) < others.size())
    return others[static_cast<std::size_t>(index)].path;
  const std::vector<std::string> nodes = RenderNodes(root);
  if (index >= 0 && static_cast<std::size_t>(index) < nodes.size()) return nodes[static_cast<std::size_t>(index)];
  return fmt::format("/dev/dri/renderD{}", 128 + index);
}

int CountRenderNodes(const fs::path& root) { return static_cast<int>(RenderNodes(root).size()); }

EngineTimes ReadEngineTimes(const fs::path& root) {
  EngineTimes times;
  std::set<std::string> clients;  // one may be seen through several descriptors
  for (const fs::path& process : Entries(root / "proc")) {
    if (process.filename().string().find_first_not_of("0123456789") != std::string::npos) continue;
    for (const fs::path& info : Entries(process / "fdinfo")) {
      const std::string device = FieldOf(info, "drm-pdev");
      if (device.empty() || !clients.insert(device + "/" + FieldOf(info, "drm-client-id")).second) continue;
      std::ifstream file(info);
      for (std::string line; std::getline(file, line);) {  // "drm-engine-video:\t1234 ns"
        constexpr std::string_view kKey = "drm-engine-";
        const auto colon = line.find(':');
        if (!line.starts_with(kKey) || line.starts_with("drm-engine-capacity-") || colon == line.npos) continue;
        std::int64_t ns = 0;
        std::istringstream(line.substr(colon + 1)) >> ns;
        times[device][line.substr(kKey.size(), colon - kKey.size())] += ns;
      }
    }
  }
  return times;
}

std::map<std::string, std::map<std::string, double>> EngineUse(const EngineTimes& before, const EngineTimes& after,
                                                               double seconds) {
  std::map<std::string, std::map<std::string, double>> use;
  for (const auto& [device, engines] : after)
    for (const auto& [engine, ns] : engines) {
      const auto known = before.find(device);
      const std::int64_t earlier =
          known != before.end() && known->second.contains(engine) ? known->second.at(engine) : 0;
      use[device][engine] = std::clamp(static_cast<double>(ns - earlier) * 1e-9 / std::max(1e-3, seconds), 0.0, 1.0);
    }
  return use;
}

void to_json(nlohmann::json& json, const GraphicsDevice& d) {
  json = {{"name", d.name},     {"bus_address", d.bus_address}, {"vendor", d.vendor},
          {"driver", d.driver}, {"render_node", d.render_node}, {"permitted", d.permitted}};
  if (d.busy) json["busy"] = *d.busy;
}

}  // namespace kettle
