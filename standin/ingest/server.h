// SPDX-License-Identifier: Apache-2.0
// Takes publishes from any RTMP client, several at once, each in threads of its own.
#pragma once

#include <atomic>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <thread>
#include <vector>

#include "arrivals.h"
#include "link.h"

struct ssl_ctx_st;

namespace standin {

class SrtServer;

struct IngestOptions {
  std::string host = "127.0.0.1";
  int port = 0;  // 0: any that is free
  LinkShape link;
  std::optional<int> srt_port;           // takes SRT too, there
  std::string key, passphrase;           // empty: any key is accepted, nothing encrypted; the passphrase is SRT's
  std::string report, save_folder;       // empty: none
  std::string certificate, private_key;  // PEM files; both: TLS
  std::string refusal;                   // what a refused client is told; empty: as usual
};

class IngestServer {
 public:
  // Listens. Throws kettle::Error(kInput) for an address that cannot be listened on, or a certificate that is none.
  explicit IngestServer(IngestOptions options);
  ~IngestServer();  // ends all connections

  int port() const { return port_; }
  int srt_port() const;  // needs IngestOptions::srt_port
  // Serves until `stop` is set.
  void Serve(const std::atomic<bool>& stop);

  // Of all connections so far.
  int accepted() const;
  int refused() const;
  std::size_t arrived_bytes() const { return arrivals_.bytes(); }
  std::size_t largest_message_bytes() const { return arrivals_.largest_message_bytes(); }

 private:
  void ServeOne(int socket, int number);

  IngestOptions options_;
  Link link_;                                         // that all share
  std::map<std::string, std::unique_ptr<Link>> own_;  // behind it, by application
  Arrivals arrivals_;
  ssl_ctx_st* context_ = nullptr;
  int socket_ = -1, port_ = 0;
  std::atomic<bool> ending_ = false;
  std::atomic<int> accepted_ = 0, refused_ = 0;
  std::vector<std::thread> threads_;
  std::unique_ptr<SrtServer> srt_;
};

}  // namespace standin
