// SPDX-License-Identifier: Apache-2.0
// The shaped link before the ingest: all connections share it.
#pragma once

#include <chrono>
#include <filesystem>
#include <map>
#include <mutex>
#include <random>
#include <string>
#include <vector>

#include "kettle/line/line.h"
#include "kettle/line/line_server.h"

namespace standin {

struct LinkShape {
  kettle::LineTrace line = kettle::LineTrace::Steady(1e6, 1);  // the last rate holds for ever
  double delay_ms = 0, jitter_ms = 0;                          // one way; jitter: up to so much more, even

  std::map<std::string, LinkShape> own;  // of single ingests by application, behind the one that all share

  // A TOML file: rate = "3 Mbit/s" or trace = "evening.csv"; delay_ms, jitter_ms; outages = [{from = 10, seconds = 2}].
  // [[ingest]] sections with a name and the same keys, the rate may be left out: their own. Throws
  // kettle::Error(kInput).
  static LinkShape Read(const std::filesystem::path& file);
};

// The trace with nothing carried in each outage.
struct Outage {
  double from, seconds;
};
kettle::LineTrace WithOutages(const kettle::LineTrace& line, const std::vector<Outage>& outages);

class Link {
 public:
  using Clock = std::chrono::steady_clock;
  // Its time begins when the first bytes come.
  explicit Link(LinkShape shape) : shape_(std::move(shape)), server_(shape_.line.points()) {}

  struct Passage {
    Clock::time_point through;  // the link is free for the next bytes
    Clock::time_point arrives;  // at the ingest
  };
  Passage Carry(std::size_t bytes);
  double QueueSeconds();            // that bytes which came now would wait
  Clock::time_point Answer();       // when what the ingest sends now is at the client: that way has room
  std::size_t piece_bytes() const;  // what is read at once: two milliseconds' worth

 private:
  LinkShape shape_;
  kettle::LineServer server_;
  std::mutex mutex_;
  bool begun_ = false;
  Clock::time_point start_;
  double free_ = 0, last_arrival_ = 0;  // seconds after the start
  std::mt19937 random_{1};
};

}  // namespace standin
