// SPDX-License-Identifier: Apache-2.0
// What arrived, second by second, as CSV.
#pragma once

#include <atomic>
#include <chrono>
#include <fstream>
#include <map>
#include <mutex>
#include <optional>
#include <string>

#include "kettle/rtmp/chunks.h"

namespace standin {

class Arrivals {
 public:
  using Clock = std::chrono::steady_clock;
  // Without a path nothing is written.
  explicit Arrivals(const std::string& path);
  ~Arrivals() { Flush(Clock::time_point::max()); }

  void Add(const std::string& connection, const kettle::RtmpMessage& message, Clock::time_point when);
  // Bytes that are no RTMP message.
  void Add(const std::string& connection, std::size_t bytes, int pictures, Clock::time_point when);
  std::size_t bytes() const { return bytes_; }                                  // of all so far; thread-safe
  std::size_t largest_message_bytes() const { return largest_message_bytes_; }  // RTMP's; thread-safe
  // Writes the seconds that are over.
  void Flush(Clock::time_point now);

 private:
  struct Second {
    std::size_t bytes = 0;
    int pictures = 0, keyframes = 0, sounds = 0;
    double late_ms = 0;
  };
  struct Publish {
    double earliest = 1e18;  // arrival less timestamp, in seconds
  };
  Second& At(const std::string& connection, Clock::time_point when);  // needs the lock
  std::atomic<std::size_t> bytes_ = 0, largest_message_bytes_ = 0;
  std::mutex mutex_;
  std::ofstream file_;
  std::optional<Clock::time_point> start_;
  std::map<std::string, Publish> publishes_;
  std::map<std::pair<int, std::string>, Second> seconds_;  // by second and connection
};

}  // namespace standin
