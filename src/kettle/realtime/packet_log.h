// SPDX-License-Identifier: Apache-2.0
// Notes of one encode: when each frame went in, when and how large its packet came out.
#pragma once

#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <vector>

#include "kettle/units/units.h"

namespace kettle {

// Frame in to packet out, milliseconds.
struct Latency {
  double p50_ms = 0, p99_ms = 0, max_ms = 0;
};

// What came out after the first packet, until the last.
struct Pace {
  int packets = 0;
  double seconds = 0;
  double fps() const { return seconds > 0 ? packets / seconds : 0; }
};

// From some frame on, an encode took several times as long for each frame as before.
struct SlowDown {
  int frame = 0;      // counted in packets
  double factor = 1;  // time a frame after it, over that before it
};

class PacketLog {
 public:
  void FrameIn(std::int64_t pts, std::int64_t now_ns);
  void PacketOut(std::int64_t pts, std::int64_t now_ns, int bytes);

  // The most packets in a row that came after one shown later: the longest run of B-frames.
  int longest_b_run() const { return longest_b_run_; }
  int packets() const { return static_cast<int>(bits_.size()); }
  Pace pace() const;
  // The split after which packets came most slowly against before, if at least three times, with a twentieth of the
  // packets and at least five on either side: what is slow from the start is slow, not slowed down. What an encoder
  // holds back at the start and lets go at the end does not count.
  std::optional<SlowDown> slow_down() const;
  Latency latency() const;  // zeros if no packet came out
  // Over `frames` frame times, kbit/s.
  double mean_kbps(int frames, FrameRate rate) const;
  // Over any one second of packets in coded order; over all of them if they last less.
  double peak_second_kbps(FrameRate rate) const;

 private:
  std::vector<std::int64_t> in_ns_;  // by pts
  std::vector<std::int64_t> out_ns_;
  std::vector<double> bits_, latencies_ms_;
  std::int64_t latest_shown_ = -1;
  int b_run_ = 0, longest_b_run_ = 0;
};

void to_json(nlohmann::json&, const Latency&);
void from_json(const nlohmann::json&, Latency&);
void to_json(nlohmann::json&, const SlowDown&);
void from_json(const nlohmann::json&, SlowDown&);

}  // namespace kettle
