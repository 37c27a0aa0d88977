// SPDX-License-Identifier: Apache-2.0
#include "kettle/device/network.h"

#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

// Columns as route(8) tells them: interface, destination, gateway, flags, ..., metric; addresses in hexadecimal.
std::string DefaultInterface(const fs::path& root) {
  std::ifstream file(root / "proc/net/route");
  std::string line, best;
  long best_metric = -1;
  std::getline(file, line);  // titles
  while (std::getline(file, line)) {
    std::istringstream fields(line);
    std::string name, destination, gateway, flags, references, use, mask;
    long metric = 0;
    if (!(fields >> name >> destination >> gateway >> flags >> references >> use >> metric >> mask)) continue;
    if (destination != "00000000" || mask != "00000000" || (best_metric >= 0 && metric >= best_metric)) continue;
    best = name;
    best_metric = metric;
  }
  return best;
}

// destination, its length, source, its length, next hop, metric, references, use, flags, interface
std::string DefaultInterface6(const fs::path& root) {
  std::ifstream file(root / "proc/net/ipv6_route");
  std::string line;
  while (std::getline(file, line)) {
    std::istringstream fields(line);
    std::string destination, length, source, source_length, hop, metric, references, use, flags, name;
    fields >> destination >> length >> source >> source_length >> hop >> metric >> references >> use >> flags >> name;
    if (length == "00" && hop != std::string(32, '0') && !name.empty() && name != "lo") return name;
  }
  return "";
}

}  // namespace

std::optional<NetworkLink> ReadNetwork(const fs::path& root) {
  std::string name = DefaultInterface(root);
  if (name.empty()) name = DefaultInterface6(root);
  if (name.empty()) return std::nullopt;
  const fs::path folder = root / "sys/class/net" / name;
  NetworkLink link{name, IsThere(folder / "wireless") || IsThere(folder / "phy80211"), 0};
  if (const auto speed = FirstNumber(folder / "speed"); speed && *speed > 0) link.speed_mbps = static_cast<int>(*speed);
  return link;
}

void to_json(nlohmann::json& json, const NetworkLink& link) {
  json = {{"interface", link.interface}, {"wireless", link.wireless}};
  if (link.speed_mbps > 0) json["speed_mbps"] = link.speed_mbps;
}

}  // namespace kettle
