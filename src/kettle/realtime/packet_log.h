// SPDX-License-Identifier: Apache-2.0
// Notes of one encode: when each frame went in, when and how large its packet came out.
#pragma once

#include <cstdint>
#include <deque>
#include <map>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <vector>

#include "kettle/units/quantiles.h"
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
  enum class Keep {
    kTimes,    // of all packets, for slow_down()
    kNothing,  // of single packets: an evening's worth takes no more memory than a minute's
  };
  // `rate` tells how many packets a second has.
  explicit PacketLog(FrameRate rate, Keep keep = Keep::kTimes);

  void FrameIn(std::int64_t pts, std::int64_t now_ns);
  void PacketOut(std::int64_t pts, std::int64_t now_ns, int bytes);

  // The most packets in a row that came after one shown later: the longest run of B-frames.
  int longest_b_run() const { return longest_b_run_; }
  int packets() const { return packets_; }
  Pace pace() const;
  // The split after which packets came most slowly against before, if at least three times, with a twentieth of the
  // packets and at least five on either side: what is slow from the start is slow, not slowed down. What an encoder
  // holds back at the start and lets go at the end does not count. Needs Keep::kTimes.
  std::optional<SlowDown> slow_down() const;
  Latency latency() const;  // zeros if no packet came out
  // Over `frames` frame times, kbit/s.
  double mean_kbps(int frames) const;
  // Over any one second of packets in coded order; over all of them if they last less.
  double peak_second_kbps() const;

 private:
  const FrameRate rate_;
  const Keep keep_;
  std::map<std::int64_t, std::int64_t> in_ns_;  // by pts, of frames that have not come out
  std::vector<std::int64_t> out_ns_;            // Keep::kTimes
  std::int64_t first_out_ns_ = 0, last_out_ns_ = 0;
  int packets_ = 0;
  double bits_ = 0, second_bits_ = 0, peak_second_bits_ = 0;
  std::deque<double> second_;  // the newest second's packets, bits
  Quantiles latencies_ms_;
  std::int64_t latest_shown_ = -1;
  int b_run_ = 0, longest_b_run_ = 0;
};

void to_json(nlohmann::json&, const Latency&);
void from_json(const nlohmann::json&, Latency&);
void to_json(nlohmann::json&, const SlowDown&);
void from_json(const nlohmann::json&, SlowDown&);

}  // namespace kettle
