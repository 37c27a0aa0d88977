// SPDX-License-Identifier: Apache-2.0
// Takes publishes from any SRT caller. Its datagrams pass the shaped link before libsrt sees them, so that what the
// link cannot carry is really lost, and asked for again.
#pragma once

#include <atomic>
#include <memory>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "server.h"

struct sockaddr;

namespace standin {

class DatagramLink;

class SrtServer {
 public:
  // Listens on options.host. `arrivals` and `link` must outlive it. Throws kettle::Error(kInput).
  SrtServer(const IngestOptions& options, int port, Link& link, Arrivals& arrivals);
  ~SrtServer();

  int port() const;
  int accepted() const { return accepted_; }
  int refused() const { return refused_; }

 private:
  static int Judge(void* self, int socket, int version, const sockaddr* from, const char* stream_id);
  void Accept();
  void ServeOne(int socket, int number);

  const IngestOptions& options_;
  Arrivals& arrivals_;
  int socket_ = -1;
  std::unique_ptr<DatagramLink> datagrams_;
  std::atomic<bool> ending_ = false;
  std::mutex judging_;  // while a thread of libsrt asks
  std::atomic<int> accepted_ = 0, refused_ = 0;
  std::vector<std::thread> threads_;  // one for each publish
  std::thread acceptor_;
};

}  // namespace standin
