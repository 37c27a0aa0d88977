// SPDX-License-Identifier: Apache-2.0
// The stand-in ingest, served in a thread while a test publishes to it.
#pragma once

#include <fmt/format.h>

#include <atomic>
#include <string>
#include <thread>

#include "kettle/rtmp/url.h"
#include "server.h"

namespace kettle::test {

class RunningIngest {
 public:
  explicit RunningIngest(standin::IngestOptions options)
      : server_(std::move(options)), thread_([this] { server_.Serve(stop_); }) {}
  ~RunningIngest() {
    stop_ = true;
    thread_.join();
  }
  IngestUrl url(const std::string& scheme = "rtmp") const {
    if (scheme == "srt") return IngestUrl::Parse(fmt::format("srt://127.0.0.1:{}", server_.srt_port()));
    return IngestUrl::Parse(fmt::format("{}://127.0.0.1:{}/live", scheme, server_.port()));
  }
  const standin::IngestServer& server() const { return server_; }

 private:
  std::atomic<bool> stop_ = false;
  standin::IngestServer server_;
  std::thread thread_;
};

}  // namespace kettle::test
