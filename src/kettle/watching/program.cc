// SPDX-License-Identifier: Apache-2.0
#include "kettle/watching/program.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <fstream>
#include <sstream>
#include <thread>

#include "kettle/machine/cpu_time.h"
#include "kettle/units/error.h"
#include "kettle/units/text_file.h"
#include "kettle/watching/sockets.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

constexpr double kLeastKbps = 200, kLeastCores = 0.03;

bool IsNumber(const std::string& text) {
  return !text.empty() && text.size() < 10 && text.find_first_not_of("0123456789") == std::string::npos;
}

// proc(5): pid (name) state ... utime stime, and schedstat: time on a processor and time waiting for one, in ns.
ThreadReading ReadThread(const fs::path& folder) {
  ThreadReading thread;
  const std::string stat = FirstLine(folder / "stat").value_or("");
  const auto open = stat.find('('), close = stat.rfind(')');
  if (open == std::string::npos || close == std::string::npos) return thread;
  thread.name = stat.substr(open + 1, close - open - 1);
  thread.on_disk = stat.size() > close + 2 && stat[close + 2] == 'D';
  std::istringstream sched(FirstLine(folder / "schedstat").value_or(""));
  double run_ns = 0, wait_ns = 0;
  if (sched >> run_ns >> wait_ns) {
    thread.cpu_seconds = run_ns * 1e-9;
    thread.wait_seconds = wait_ns * 1e-9;
  }
  return thread;
}

std::string Link(const fs::path& path) {
  std::error_code error;
  const fs::path target = fs::read_symlink(path, error);
  return error ? "" : target.string();
}

bool IsOpenForWriting(const fs::path& info) {
  std::ifstream file(info);
  std::string name;
  while (file >> name)
    if (name == "flags:") {
      std::string octal;
      file >> octal;
      return (std::strtol(octal.c_str(), nullptr, 8) & O_ACCMODE) != O_RDONLY;
    }
  return false;
}

void ReadDescriptors(const fs::path& process, ProgramReading& reading) {
  for (const fs::path& entry : Entries(process / "fd")) {
    const std::string target = Link(entry);
    if (target.starts_with("socket:[")) {
      reading.sockets.insert(std::strtoull(target.c_str() + 8, nullptr, 10));
      continue;
    }
    std::error_code error;
    if (!target.starts_with("/") || target.starts_with("/dev/") || target.starts_with("/proc/") ||
        !IsOpenForWriting(process / "fdinfo" / entry.filename()))
      continue;
    const auto bytes = fs::file_size(entry, error);  // through the descriptor: a deleted file has a size too
    if (!error) reading.files.push_back({target, static_cast<std::int64_t>(bytes)});
  }
}

std::set<std::uint64_t> SocketsOf(const fs::path& process) {
  std::set<std::uint64_t> inodes;
  for (const fs::path& entry : Entries(process / "fd"))
    if (const std::string target = Link(entry); target.starts_with("socket:["))
      inodes.insert(std::strtoull(target.c_str() + 8, nullptr, 10));
  return inodes;
}

// What each connection sent meanwhile, in kbit/s, by inode.
std::map<std::uint64_t, Streamer> SendersBetween(const std::vector<SocketReading>& before,
                                                 const std::vector<SocketReading>& after, double seconds) {
  std::map<std::uint64_t, Streamer> senders;
  for (const SocketReading& now : after)
    for (const SocketReading& old : before)
      if (old.inode == now.inode && now.inode != 0)
        if (const double kbps = static_cast<double>(now.sent_bytes - old.sent_bytes) * 8 / 1000 / seconds;
            kbps >= kLeastKbps)
          senders[now.inode] = {0, "", now.remote, kbps};
  return senders;
}

// A datagram of a stream is about as large as the network takes.
constexpr double kDatagramBits = 1316 * 8;

void AddUdpSenders(const std::vector<SocketReading>& sockets, std::int64_t datagrams, double seconds,
                   std::map<std::uint64_t, Streamer>& senders) {
  const double kbps = static_cast<double>(datagrams) * kDatagramBits / 1000 / seconds;
  if (kbps < kLeastKbps) return;
  for (const SocketReading& socket : sockets)
    if (socket.inode != 0) senders[socket.inode] = {0, "", socket.remote.empty() ? "UDP" : socket.remote, kbps};
}

}  // namespace

bool IsRunning(int pid, const fs::path& root) {
  const std::string stat = FirstLine(root / "proc" / std::to_string(pid) / "stat").value_or("");
  const auto close = stat.rfind(')');
  return close != std::string::npos && stat.size() > close + 2 && stat[close + 2] != 'Z';
}

ProgramReading ReadProgram(int pid, const fs::path& root) {
  const fs::path process = root / "proc" / std::to_string(pid);
  if (!IsRunning(pid, root)) FailInput("there is no process {}", pid);
  if (access((process / "fd").c_str(), R_OK | X_OK) != 0)
    FailInput("process {} ({}) is another user's: its connections and files are not to be seen; watch it as that user",
              pid, FirstLine(process / "comm").value_or("?"));
  ProgramReading reading;
  reading.name = FirstLine(process / "comm").value_or("");
  for (const fs::path& thread : Entries(process / "task"))
    if (IsNumber(thread.filename().string()))
      reading.threads[std::stoi(thread.filename().string())] = ReadThread(thread);
  ReadDescriptors(process, reading);
  return reading;
}

std::vector<Streamer> FindStreamers(double seconds, const fs::path& root) {
  const std::vector<SocketReading> before = ReadTcpSockets();
  const std::int64_t datagrams = UdpDatagramsSent(root);
  const std::map<int, ProcessTime> times_before = ReadProcessTimes(root);
  std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
  std::map<std::uint64_t, Streamer> senders = SendersBetween(before, ReadTcpSockets(), seconds);
  // Whose datagrams they are the kernel does not tell: of a program that computes meanwhile, most likely.
  std::map<std::uint64_t, Streamer> datagram_senders;
  AddUdpSenders(ReadUdpSockets(root), UdpDatagramsSent(root) - datagrams, seconds, datagram_senders);
  const std::map<int, ProcessTime> times_now = ReadProcessTimes(root);
  std::vector<Streamer> streamers;
  for (const fs::path& process : Entries(root / "proc")) {
    const std::string id = process.filename().string();
    if (!IsNumber(id) || std::stoi(id) == getpid()) continue;
    Streamer found;
    for (const std::uint64_t inode : SocketsOf(process))
      if (const auto sender = senders.find(inode); sender != senders.end() && sender->second.kbps > found.kbps)
        found = sender->second;
    const auto then = times_before.find(std::stoi(id)), now = times_now.find(std::stoi(id));
    const bool computes = then != times_before.end() && now != times_now.end() &&
                          now->second.seconds - then->second.seconds >= kLeastCores * seconds;
    if (found.kbps <= 0 && computes)
      for (const std::uint64_t inode : SocketsOf(process))
        if (const auto sender = datagram_senders.find(inode); sender != datagram_senders.end()) found = sender->second;
    if (found.kbps <= 0) continue;
    found.pid = std::stoi(id);
    found.name = FirstLine(process / "comm").value_or("");
    streamers.push_back(found);
  }
  std::sort(streamers.begin(), streamers.end(), [](const Streamer& a, const Streamer& b) { return a.kbps > b.kbps; });
  return streamers;
}

}  // namespace kettle
