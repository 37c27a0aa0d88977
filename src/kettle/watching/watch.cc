// SPDX-License-Identifier: Apache-2.0
#include "kettle/watching/watch.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "kettle/units/clock.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

std::optional<double> HottestZone(const fs::path& root) {
  std::optional<double> hottest;
  for (const fs::path& zone : Entries(root / "sys/class/thermal"))
    if (const auto milli = FirstNumber(zone / "temp")) hottest = std::max(hottest.value_or(0), *milli / 1000);
  return hottest;
}

// What its threads used and waited between the two; a new thread counts whole.
void TellThreads(const WatchReading& before, const WatchReading& after, double seconds, WatchSecond& second) {
  double waited = 0;
  for (const auto& [id, now] : after.program.threads) {
    const auto old = before.program.threads.find(id);
    const ThreadReading then = old == before.program.threads.end() ? ThreadReading{} : old->second;
    const double cores = std::max(0.0, now.cpu_seconds - then.cpu_seconds) / seconds;
    second.cpu_cores += cores;
    waited += std::max(0.0, now.wait_seconds - then.wait_seconds) / seconds;
    second.on_disk = second.on_disk || now.on_disk;
    if (cores > second.busiest_thread_cores) {
      second.busiest_thread_cores = cores;
      second.busiest_thread = now.name;
    }
  }
  if (second.cpu_cores + waited > 0) second.wait_share = waited / (second.cpu_cores + waited);
}

constexpr std::size_t kNameBytes = 15;  // that the kernel keeps of a program's name (TASK_COMM_LEN, proc(5))

void TellOthers(const WatchReading& before, const WatchReading& after, const WatchFacts& facts, double seconds,
                WatchSecond& second) {
  std::map<std::string, double> used;
  for (const auto& [id, time] : after.machine.processes) {
    if (id == facts.pid) continue;
    const auto old = before.machine.processes.find(id);
    const double since = old == before.machine.processes.end() ? 0 : old->second.seconds;
    used[time.name] += std::max(0.0, time.seconds - since) / seconds;
  }
  for (const auto& [name, cores] : used) {
    if (!facts.game.empty() && name == facts.game.substr(0, kNameBytes)) {
      second.game_cores += cores;
      continue;
    }
    second.other_cores += cores;
    if (cores > second.other_program_cores) {
      second.other_program_cores = cores;
      second.other_program = name;
    }
  }
  const CpuTime &then = before.machine.cpu, &now = after.machine.cpu;
  second.stolen_cores = std::max(0.0, now.steal_seconds - then.steal_seconds) / seconds;
  const double busy = std::max(0.0, now.busy_seconds - then.busy_seconds) / seconds;
  second.idle_cores = std::max(0.0, facts.cpu_cores - busy - second.stolen_cores);
  second.throttle_events = static_cast<int>(after.machine.throttle_events - before.machine.throttle_events);
}

// Of a stream's datagrams, which are as large as a network takes.
constexpr double kDatagramKbit = 1316 * 8 / 1000.0;

void TellConnection(const WatchReading& before, const WatchReading& after, double seconds, WatchSecond& second) {
  for (const SocketReading& now : after.sockets) {
    second.unsent_kbit = std::max(second.unsent_kbit, static_cast<double>(now.unsent_bytes) * 8 / 1000);
    for (const SocketReading& then : before.sockets) {
      if (then.inode != now.inode || !now.tcp) continue;
      const double kbps = static_cast<double>(now.sent_bytes - then.sent_bytes) * 8 / 1000 / seconds;
      second.repeated += static_cast<int>(now.repeated_segments - then.repeated_segments);
      if (kbps < second.sent_kbps) continue;
      second.sent_kbps = kbps;
      second.round_trip_ms = now.round_trip_ms;
    }
  }
  const bool datagrams = std::any_of(after.sockets.begin(), after.sockets.end(), [](const auto& s) { return !s.tcp; });
  if (datagrams && second.sent_kbps < 100)
    second.sent_kbps = static_cast<double>(after.udp_datagrams - before.udp_datagrams) * kDatagramKbit / seconds;
}

void TellFiles(const WatchReading& before, const WatchReading& after, double seconds, WatchSecond& second) {
  for (const FileReading& now : after.program.files)
    for (const FileReading& then : before.program.files)
      if (then.path == now.path && now.bytes > then.bytes)
        second.recorded_kbps += static_cast<double>(now.bytes - then.bytes) * 8 / 1000 / seconds;
}

// Of the connection over which most went so far.
std::string RemoteOf(const std::vector<SocketReading>& sockets) {
  const auto most =
      std::max_element(sockets.begin(), sockets.end(),
                       [](const SocketReading& a, const SocketReading& b) { return a.sent_bytes < b.sent_bytes; });
  return most == sockets.end() || most->remote.empty() ? "its destination" : most->remote;
}

}  // namespace

WatchSecond SecondBetween(const WatchReading& before, const WatchReading& after, const WatchFacts& facts,
                          double began_seconds) {
  const double seconds = std::max(1e-3, after.seconds - before.seconds);
  WatchSecond second;
  second.start_seconds = before.seconds - began_seconds;
  TellThreads(before, after, seconds, second);
  TellOthers(before, after, facts, seconds, second);
  TellConnection(before, after, seconds, second);
  TellFiles(before, after, seconds, second);
  const GpuUse gpu = Busiest(after.gpus);
  second.gpu_compute = gpu.compute;
  second.gpu_encoder = gpu.encoder;
  second.temperature = after.temperature.value_or(0);
  return second;
}

Watch::Watch(WatchFacts facts) : facts_(std::move(facts)) {
  facts_.program = ReadProgram(facts_.pid).name;
  if (auto first = Read()) last_ = std::move(*first);
  if (facts_.remote.empty()) facts_.remote = RemoteOf(last_.sockets);
  began_seconds_ = last_.seconds;
}

// All are looked through when the program has another connection than before: that takes the kernel milliseconds.
std::vector<SocketReading> Watch::TcpSockets(const std::set<std::uint64_t>& inodes) {
  std::vector<SocketReading> sockets;
  if (inodes == last_.program.sockets)
    for (const SocketReading& known : last_.sockets)
      if (auto again = ReadAgain(known)) sockets.push_back(std::move(*again));
  return sockets.empty() ? ReadTcpSockets() : sockets;
}

std::optional<WatchReading> Watch::Read() {
  if (!IsRunning(facts_.pid)) return std::nullopt;
  WatchReading reading;
  try {
    reading.program = ReadProgram(facts_.pid);
  } catch (const Error&) {
    return std::nullopt;  // it ended just now
  }
  reading.seconds = static_cast<double>(SteadyClock().now_ns()) * 1e-9;
  const auto add = [&](const std::vector<SocketReading>& sockets) {
    for (const SocketReading& socket : sockets)
      if (reading.program.sockets.contains(socket.inode)) reading.sockets.push_back(socket);
  };
  add(TcpSockets(reading.program.sockets));
  add(ReadUdpSockets());
  reading.udp_datagrams = UdpDatagramsSent();
  reading.machine = SampleConditions();
  reading.gpus = gpus_.Read();
  reading.temperature = HottestZone("/");
  return reading;
}

std::optional<WatchSecond> Watch::Next() {
  auto now = Read();
  if (!now) return std::nullopt;
  const WatchSecond second = SecondBetween(last_, *now, facts_, began_seconds_);
  last_ = std::move(*now);
  return second;
}

KETTLE_JSON(WatchSecond, start_seconds, cpu_cores, wait_share, busiest_thread, busiest_thread_cores, game_cores,
            other_cores, other_program, other_program_cores, stolen_cores, idle_cores, sent_kbps, unsent_kbit,
            round_trip_ms, repeated, recorded_kbps, on_disk, gpu_compute, gpu_encoder, throttle_events, temperature)
KETTLE_JSON(WatchFacts, pid, program, remote, game, cpu_cores, planned_cores, planned_kbps)

}  // namespace kettle
