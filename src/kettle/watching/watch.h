// SPDX-License-Identifier: Apache-2.0
// A real broadcast, second by second, seen from outside the program that makes it.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/device/gpu_meter.h"
#include "kettle/machine/conditions.h"
#include "kettle/watching/program.h"
#include "kettle/watching/sockets.h"

namespace kettle {

// All that is read at one moment.
struct WatchReading {
  double seconds = 0;  // of a clock that never goes back
  ProgramReading program;
  std::vector<SocketReading> sockets;  // the program's own, TCP and UDP
  std::int64_t udp_datagrams = 0;      // of the whole machine
  ConditionSample machine;
  std::vector<GpuUse> gpus;
  std::optional<double> temperature;  // the hottest zone's, degrees Celsius
};

// One second of it.
struct WatchSecond {
  double start_seconds = 0;  // after watching began
  double cpu_cores = 0;      // that the program took
  double wait_share = 0;     // of the time that its threads could have run: that no processor was free for them
  std::string busiest_thread;
  double busiest_thread_cores = 0;
  double game_cores = 0;
  double other_cores = 0;     // of all other programs but the game
  std::string other_program;  // the busiest of them
  double other_program_cores = 0;
  double stolen_cores = 0;  // by the hypervisor
  double idle_cores = 0;
  double sent_kbps = 0;    // over its fastest connection; of UDP what the whole machine sent
  double unsent_kbit = 0;  // that waits in the kernel
  double round_trip_ms = 0;
  int repeated = 0;          // TCP segments that were sent again
  double recorded_kbps = 0;  // by which its files grew
  bool on_disk = false;      // one of its threads waited for a disk
  double gpu_compute = 0, gpu_encoder = 0;
  int throttle_events = 0;
  double temperature = 0;  // 0: nothing tells
};

// What is the same all the time.
struct WatchFacts {
  int pid = 0;
  std::string program, remote;  // its name; where its stream goes: Watch finds both where they are empty
  std::string game;             // the game's process name; empty: not known
  double cpu_cores = 1;         // processors that may be used
  // Of the plan, if one was given.
  std::optional<double> planned_cores, planned_kbps;
};

// The connection that sends most between the two, by its place in `after`; nothing if none sends.
WatchSecond SecondBetween(const WatchReading& before, const WatchReading& after, const WatchFacts& facts,
                          double began_seconds);

class Watch {
 public:
  // Throws Error(kInput) as ReadProgram.
  explicit Watch(WatchFacts facts);
  // One more second, from the last reading until now; nothing if the program has ended.
  std::optional<WatchSecond> Next();
  const WatchFacts& facts() const { return facts_; }

 private:
  std::optional<WatchReading> Read();
  std::vector<SocketReading> TcpSockets(const std::set<std::uint64_t>& inodes);
  WatchFacts facts_;
  GpuMeter gpus_;
  double began_seconds_ = 0;
  WatchReading last_;
};

void to_json(nlohmann::json& json, const WatchSecond& second);
void from_json(const nlohmann::json& json, WatchSecond& second);
void to_json(nlohmann::json& json, const WatchFacts& facts);
void from_json(const nlohmann::json& json, WatchFacts& facts);

}  // namespace kettle
