// SPDX-License-Identifier: Apache-2.0
// The way out of this machine: what the default route takes.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>

namespace kettle {

struct NetworkLink {
  std::string interface;  // "enp3s0"
  bool wireless = false;
  int speed_mbps = 0;  // that was negotiated with the next device, not what the line carries; 0: not known
};

// Nothing if there is no default route, or it is not to be seen (/proc/net/route, ipv6_route; /sys/class/net).
std::optional<NetworkLink> ReadNetwork(const std::filesystem::path& root = "/");

void to_json(nlohmann::json& json, const NetworkLink& link);

}  // namespace kettle
