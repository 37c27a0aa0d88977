// SPDX-License-Identifier: Apache-2.0
// The shaped link for datagrams: between the port that clients know and the one where the ingest really listens.
#pragma once

#include <netinet/in.h>

#include <atomic>
#include <deque>
#include <string>
#include <thread>
#include <vector>

#include "link.h"

namespace standin {

class DatagramLink {
 public:
  // What waits longer than this before the link is thrown away, as a router's queue does.
  static constexpr double kMostQueueSeconds = 0.25;

  // Binds host:port (0: any that is free); passes on to loopback's `inner_port` and back. Throws kettle::Error(kInput).
  DatagramLink(const std::string& host, int port, int inner_port, Link& link);
  ~DatagramLink();

  int port() const { return port_; }

 private:
  struct Client {
    sockaddr_in address{};
    int socket = -1;  // towards the ingest
  };
  struct OnItsWay {
    Link::Clock::time_point when;
    int client;
    std::string bytes;
  };
  using Waiting = std::deque<OnItsWay>;  // the link keeps their order

  void Run();
  void TakeFromClients();
  void TakeFromIngest(int client);
  void Deliver();
  int ClientAt(const sockaddr_in& address);

  Link& link_;
  int socket_ = -1, port_ = 0;
  sockaddr_in inner_{};
  std::vector<Client> clients_;
  Waiting up_, down_;
  std::atomic<bool> ending_ = false;
  std::thread thread_;
};

}  // namespace standin
