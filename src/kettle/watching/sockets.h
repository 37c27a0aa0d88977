// SPDX-License-Identifier: Apache-2.0
// Connections as the kernel tells of them to any user: no packet is looked at.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace kettle {

// At one moment. Counters count since the connection was made.
struct SocketReading {
  std::uint64_t inode = 0;        // by which /proc/PID/fd tells whose it is
  bool tcp = true;                // false: UDP, of which the kernel tells little
  std::string remote;             // "203.0.113.7:1935", "[2001:db8::1]:443"; empty: none
  std::int64_t sent_bytes = 0;    // TCP: handed to the network, repeated ones not counted
  std::int64_t unsent_bytes = 0;  // waiting in the kernel, sent but not acknowledged ones included
  std::int64_t repeated_segments = 0;
  double round_trip_ms = 0;
  int family = 0;             // AF_INET, AF_INET6: of TCP
  std::string identity = {};  // by which the kernel finds it again without looking through all
};

// Established TCP connections of this network namespace, by sock_diag(7) with TCP_INFO. Empty if the kernel refuses.
std::vector<SocketReading> ReadTcpSockets();
// The same of one of them, which costs the kernel much less; nothing if it is no more.
std::optional<SocketReading> ReadAgain(const SocketReading& socket);
// UDP sockets, connected or not, from /proc/net/udp and udp6.
std::vector<SocketReading> ReadUdpSockets(const std::filesystem::path& root = "/");
// UDP datagrams that this network namespace sent since boot (/proc/net/snmp).
std::int64_t UdpDatagramsSent(const std::filesystem::path& root = "/");

}  // namespace kettle
