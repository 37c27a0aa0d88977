// SPDX-License-Identifier: Apache-2.0
#include "kettle/watching/sockets.h"

#include <arpa/inet.h>
#include <fmt/format.h>
#include <linux/inet_diag.h>
#include <linux/netlink.h>
#include <linux/rtnetlink.h>
#include <linux/sock_diag.h>
#include <linux/tcp.h>
#include <sys/socket.h>
#include <unistd.h>

#include <array>
#include <cstring>
#include <fstream>
#include <sstream>

namespace kettle {

namespace {

constexpr std::uint32_t kEstablished = 1 << 1;  // TCP_ESTABLISHED of the kernel's enumeration

std::string Address(int family, const std::uint32_t* bytes, int port) {
  std::array<char, INET6_ADDRSTRLEN> text{};
  inet_ntop(family, bytes, text.data(), text.size());
  return family == AF_INET6 ? fmt::format("[{}]:{}", text.data(), port) : fmt::format("{}:{}", text.data(), port);
}

// TCP_INFO of a newer kernel is longer, of an older one shorter than the header that this is compiled with.
tcp_info InfoOf(const nlmsghdr* message) {
  tcp_info info{};
  const auto* diag = static_cast<const inet_diag_msg*>(NLMSG_DATA(message));
  auto left = static_cast<int>(message->nlmsg_len - NLMSG_LENGTH(sizeof *diag));
  for (auto* attribute = reinterpret_cast<const rtattr*>(diag + 1); RTA_OK(attribute, left);
       attribute = RTA_NEXT(attribute, left))
    if (attribute->rta_type == INET_DIAG_INFO)
      std::memcpy(&info, RTA_DATA(attribute), std::min<std::size_t>(sizeof info, RTA_PAYLOAD(attribute)));
  return info;
}

SocketReading ReadingOf(const nlmsghdr* message) {
  const auto* diag = static_cast<const inet_diag_msg*>(NLMSG_DATA(message));
  const tcp_info info = InfoOf(message);
  SocketReading reading;
  reading.inode = diag->idiag_inode;
  reading.remote = Address(diag->idiag_family, diag->id.idiag_dst, ntohs(diag->id.idiag_dport));
  reading.unsent_bytes = diag->idiag_wqueue;
  reading.round_trip_ms = info.tcpi_rtt / 1000.0;
  reading.repeated_segments = info.tcpi_total_retrans;
  reading.sent_bytes = static_cast<std::int64_t>(info.tcpi_bytes_acked);
  reading.family = diag->idiag_family;
  reading.identity.assign(reinterpret_cast<const char*>(&diag->id), sizeof diag->id);
  return reading;
}

// Of one address family every established connection, or the one of that identity.
std::vector<SocketReading> Ask(int family, const std::string& identity = "") {
  std::vector<SocketReading> sockets;
  struct {
    nlmsghdr header;
    inet_diag_req_v2 request;
  } question{};
  question.header.nlmsg_len = sizeof question;
  question.header.nlmsg_type = SOCK_DIAG_BY_FAMILY;
  question.header.nlmsg_flags = static_cast<__u16>(NLM_F_REQUEST | (identity.empty() ? NLM_F_DUMP : 0));
  question.request.sdiag_family = static_cast<__u8>(family);
  question.request.sdiag_protocol = IPPROTO_TCP;
  question.request.idiag_states = kEstablished;
  question.request.idiag_ext = 1 << (INET_DIAG_INFO - 1);
  std::memcpy(&question.request.id, identity.data(), std::min(identity.size(), sizeof question.request.id));
  const int fd = socket(AF_NETLINK, SOCK_DGRAM | SOCK_CLOEXEC, NETLINK_SOCK_DIAG);
  if (fd < 0) return sockets;
  bool more = send(fd, &question, sizeof question, 0) >= 0;
  alignas(nlmsghdr) std::array<char, 32'768> answer;
  while (more) {
    auto left = recv(fd, answer.data(), answer.size(), 0);
    more = left > 0 && identity.empty();
    for (auto* message = reinterpret_cast<nlmsghdr*>(answer.data());
         left > 0 && NLMSG_OK(message, static_cast<unsigned>(left)); message = NLMSG_NEXT(message, left)) {
      if (message->nlmsg_type == NLMSG_DONE || message->nlmsg_type == NLMSG_ERROR) {
        more = false;
        break;
      }
      sockets.push_back(ReadingOf(message));
    }
  }
  close(fd);
  return sockets;
}

// "0100007F:1F90" and its IPv6 form, as /proc/net writes addresses: words in the machine's own byte order.
std::string HexAddress(const std::string& text) {
  const auto colon = text.find(':');
  if (colon == std::string::npos) return "";
  std::array<std::uint32_t, 4> words{};
  for (std::size_t i = 0; i * 8 < colon && i < words.size(); ++i)
    words[i] = static_cast<std::uint32_t>(std::stoul(text.substr(i * 8, 8), nullptr, 16));
  const int port = std::stoi(text.substr(colon + 1), nullptr, 16);
  if (port == 0) return "";  // not connected
  return Address(colon > 8 ? AF_INET6 : AF_INET, words.data(), port);
}

}  // namespace

std::vector<SocketReading> ReadTcpSockets() {
  std::vector<SocketReading> sockets = Ask(AF_INET), more = Ask(AF_INET6);
  sockets.insert(sockets.end(), more.begin(), more.end());
  return sockets;
}

std::optional<SocketReading> ReadAgain(const SocketReading& socket) {
  if (socket.identity.empty()) return std::nullopt;
  const std::vector<SocketReading> found = Ask(socket.family, socket.identity);
  return found.empty() || found.front().inode != socket.inode ? std::nullopt : std::optional(found.front());
}

std::vector<SocketReading> ReadUdpSockets(const std::filesystem::path& root) {
  std::vector<SocketReading> sockets;
  for (const char* name : {"proc/net/udp", "proc/net/udp6"}) {
    std::ifstream file(root / name);
    std::string line;
    std::getline(file, line);  // titles
    while (std::getline(file, line)) {
      std::istringstream fields(line);
      std::string slot, local, remote, state, queues, timer, retransmit, uid, timeout, inode;
      fields >> slot >> local >> remote >> state >> queues >> timer >> retransmit >> uid >> timeout >> inode;
      if (inode.empty()) continue;
      SocketReading reading;
      reading.tcp = false;
      reading.inode = std::stoull(inode);
      reading.remote = HexAddress(remote);
      reading.unsent_bytes = std::stoll(queues, nullptr, 16);
      sockets.push_back(reading);
    }
  }
  return sockets;
}

std::int64_t UdpDatagramsSent(const std::filesystem::path& root) {
  std::ifstream file(root / "proc/net/snmp");
  std::string line, titles;
  while (std::getline(file, line)) {
    if (!line.starts_with("Udp: ")) continue;
    if (titles.empty()) {
      titles = line;
      continue;
    }
    std::istringstream names(titles), values(line);
    std::string name, value;
    while (names >> name && values >> value)
      if (name == "OutDatagrams") return std::stoll(value);
  }
  return 0;
}

}  // namespace kettle
