// SPDX-License-Identifier: Apache-2.0
// A TCP connection over loopback, both ends in this process: what is written to one is read from the other.
#pragma once

#include <arpa/inet.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>

namespace kettle::test {

class Loopback {
 public:
  Loopback() {
    const int listener = socket(AF_INET, SOCK_STREAM, 0);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    socklen_t size = sizeof address;
    bind(listener, reinterpret_cast<sockaddr*>(&address), size);
    listen(listener, 1);
    getsockname(listener, reinterpret_cast<sockaddr*>(&address), &size);
    port = ntohs(address.sin_port);
    from = socket(AF_INET, SOCK_STREAM, 0);
    connect(from, reinterpret_cast<sockaddr*>(&address), size);
    to = accept(listener, nullptr, nullptr);
    close(listener);
  }
  ~Loopback() {
    close(from);
    close(to);
  }
  Loopback(const Loopback&) = delete;
  Loopback& operator=(const Loopback&) = delete;
  int from = -1, to = -1, port = 0;
};

}  // namespace kettle::test
