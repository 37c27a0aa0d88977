// SPDX-License-Identifier: Apache-2.0
#include "datagram_link.h"

#include <arpa/inet.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cstring>

#include "kettle/units/error.h"

namespace standin {

namespace {

constexpr std::size_t kMostDatagramBytes = 2048;

// All that wait there.
template <typename Take>
void Drain(int socket, const Take& take) {
  std::array<char, kMostDatagramBytes> buffer;
  sockaddr_in from{};
  while (true) {
    socklen_t size = sizeof from;
    const ssize_t got =
        recvfrom(socket, buffer.data(), buffer.size(), MSG_DONTWAIT, reinterpret_cast<sockaddr*>(&from), &size);
    if (got < 0) return;
    take(from, std::string(buffer.data(), static_cast<std::size_t>(got)));
  }
}

}  // namespace

DatagramLink::DatagramLink(const std::string& host, int port, int inner_port, Link& link) : link_(link) {
  sockaddr_in address{.sin_family = AF_INET, .sin_port = htons(static_cast<std::uint16_t>(port))};
  if (inet_pton(AF_INET, host.c_str(), &address.sin_addr) != 1)
    kettle::FailInput("\"{}\" is not an address; write 127.0.0.1:19351", host);
  inner_ = {.sin_family = AF_INET, .sin_port = htons(static_cast<std::uint16_t>(inner_port))};
  inner_.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  socket_ = socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0);
  const int room = 4 << 20;  // what comes while this thread waits for a processor is not the link's loss
  setsockopt(socket_, SOL_SOCKET, SO_RCVBUF, &room, sizeof room);
  if (bind(socket_, reinterpret_cast<sockaddr*>(&address), sizeof address) != 0)
    kettle::FailInput("{}:{}: cannot listen there ({})", host, port, std::strerror(errno));
  socklen_t size = sizeof address;
  getsockname(socket_, reinterpret_cast<sockaddr*>(&address), &size);
  port_ = ntohs(address.sin_port);
  thread_ = std::thread([this] { Run(); });
}

DatagramLink::~DatagramLink() {
  ending_ = true;
  thread_.join();
  for (const Client& client : clients_) close(client.socket);
  close(socket_);
}

int DatagramLink::ClientAt(const sockaddr_in& address) {
  const auto known = std::find_if(clients_.begin(), clients_.end(), [&](const Client& client) {
    return client.address.sin_port == address.sin_port && client.address.sin_addr.s_addr == address.sin_addr.s_addr;
  });
  if (known != clients_.end()) return static_cast<int>(known - clients_.begin());
  Client client{address, socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0)};
  if (connect(client.socket, reinterpret_cast<const sockaddr*>(&inner_), sizeof inner_) != 0)
    kettle::FailMachine("the stand-in's link: {}", std::strerror(errno));
  clients_.push_back(client);
  return static_cast<int>(clients_.size()) - 1;
}

void DatagramLink::TakeFromClients() {
  Drain(socket_, [&](const sockaddr_in& from, std::string bytes) {
    if (link_.QueueSeconds() > kMostQueueSeconds) return;
    const auto arrives = link_.Carry(bytes.size() + 28).arrives;  // with IPv4 and UDP headers
    up_.push_back({arrives, ClientAt(from), std::move(bytes)});
  });
}

void DatagramLink::TakeFromIngest(int client) {
  Drain(clients_[static_cast<std::size_t>(client)].socket, [&](const sockaddr_in&, std::string bytes) {
    down_.push_back({link_.Answer(), client, std::move(bytes)});
  });
}

void DatagramLink::Deliver() {
  const auto now = Link::Clock::now();
  for (; !up_.empty() && up_.front().when <= now; up_.pop_front())
    send(clients_[static_cast<std::size_t>(up_.front().client)].socket, up_.front().bytes.data(),
         up_.front().bytes.size(), 0);
  for (; !down_.empty() && down_.front().when <= now; down_.pop_front()) {
    const sockaddr_in& to = clients_[static_cast<std::size_t>(down_.front().client)].address;
    sendto(socket_, down_.front().bytes.data(), down_.front().bytes.size(), 0, reinterpret_cast<const sockaddr*>(&to),
           sizeof to);
  }
}

void DatagramLink::Run() {
  while (!ending_) {
    std::vector<pollfd> waiting{{socket_, POLLIN, 0}};
    for (const Client& client : clients_) waiting.push_back({client.socket, POLLIN, 0});
    auto until = Link::Clock::now() + std::chrono::milliseconds(50);
    for (const Waiting* way : {&up_, &down_})
      if (!way->empty()) until = std::min(until, way->front().when);
    const auto left = std::max(std::chrono::nanoseconds(0), std::chrono::nanoseconds(until - Link::Clock::now()));
    const timespec timeout{left.count() / 1'000'000'000, left.count() % 1'000'000'000};
    ppoll(waiting.data(), waiting.size(), &timeout, nullptr);
    TakeFromClients();
    for (std::size_t i = 0; i < clients_.size(); ++i) TakeFromIngest(static_cast<int>(i));
    Deliver();
  }
}

}  // namespace standin
