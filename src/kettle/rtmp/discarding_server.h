// SPDX-License-Identifier: Apache-2.0
// Takes any publish on this machine and throws it away: so that sending can be measured without a destination.
#pragma once

#include <atomic>
#include <deque>

#include "kettle/units/guarded_thread.h"

namespace kettle {

class DiscardingServer {
 public:
  DiscardingServer();  // listens on a free port of 127.0.0.1; throws Error(kMachine)
  ~DiscardingServer();
  DiscardingServer(const DiscardingServer&) = delete;
  DiscardingServer& operator=(const DiscardingServer&) = delete;

  int port() const { return port_; }
  std::int64_t messages() const { return messages_; }  // of sound and pictures, thrown away so far

 private:
  void Accept();
  void Take(int socket);

  int listening_ = -1, port_ = 0;
  std::atomic<bool> ending_ = false;
  std::atomic<std::int64_t> messages_ = 0;
  std::deque<GuardedThread> connections_;
  GuardedThread accepting_;  // the last one: it adds to the others
};

}  // namespace kettle
