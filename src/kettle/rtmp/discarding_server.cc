// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/discarding_server.h"

#include <arpa/inet.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "kettle/rtmp/connection.h"
#include "kettle/rtmp/server_session.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr int kLookMs = 100;  // how often it looks whether it shall end

int ListenOnLoopback() {
  const int listening = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
  const sockaddr_in address{.sin_family = AF_INET, .sin_port = 0, .sin_addr = {htonl(INADDR_LOOPBACK)}, .sin_zero = {}};
  if (listening < 0 || bind(listening, reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0 ||
      listen(listening, SOMAXCONN) != 0) {
    const int error = errno;
    if (listening >= 0) close(listening);
    throw Error(Fault::kMachine, std::string("no port on 127.0.0.1 to send to: ") + std::strerror(error));
  }
  return listening;
}

int PortOf(int listening) {
  sockaddr_in address{};
  socklen_t size = sizeof address;
  getsockname(listening, reinterpret_cast<sockaddr*>(&address), &size);
  return ntohs(address.sin_port);
}

}  // namespace

DiscardingServer::DiscardingServer()
    : listening_(ListenOnLoopback()), port_(PortOf(listening_)), accepting_([this] { Accept(); }) {}

DiscardingServer::~DiscardingServer() {
  ending_ = true;
  try {
    accepting_.Join();
  } catch (const std::exception&) {
    // Whoever sends sees that nobody takes it.
  }
  connections_.clear();
  close(listening_);
}

void DiscardingServer::Accept() {
  while (!ending_) {
    pollfd look{listening_, POLLIN, 0};
    if (poll(&look, 1, kLookMs) <= 0) continue;
    const int socket = accept4(listening_, nullptr, nullptr, SOCK_CLOEXEC);
    if (socket >= 0) connections_.emplace_back([this, socket] { Take(socket); });
  }
}

void DiscardingServer::Take(int socket) {
  Connection connection(socket);
  RtmpServerSession session(
      {[](const std::string&, const std::string&) { return true; }, [this](const RtmpMessage&) { ++messages_; }});
  while (!ending_ && !session.finished()) {
    if (!connection.Wait(false, kLookMs / 1000.0)) continue;
    std::string reply = session.Feed(connection.Read());
    while (!reply.empty() && !ending_) {
      reply.erase(0, connection.Write(reply));
      if (!reply.empty()) connection.Wait(true, kLookMs / 1000.0);
    }
  }
}

}  // namespace kettle
