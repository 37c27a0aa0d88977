// SPDX-License-Identifier: Apache-2.0
// A running program as its user may see it from outside, by /proc.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <set>
#include <string>
#include <vector>

namespace kettle {

struct ThreadReading {
  std::string name;
  double cpu_seconds = 0;   // used since it began
  double wait_seconds = 0;  // ready to run, but no processor was free (schedstat)
  bool on_disk = false;     // waits where nothing may interrupt it: for a disk, as a rule
};

// A file that it holds open for writing.
struct FileReading {
  std::string path;
  std::int64_t bytes = 0;
};

// At one moment.
struct ProgramReading {
  std::string name;
  std::map<int, ThreadReading> threads;
  std::vector<FileReading> files;
  std::set<std::uint64_t> sockets;  // inodes
};

// Throws Error(kInput): no such process, or one of another user whose files and connections are not to be seen.
ProgramReading ReadProgram(int pid, const std::filesystem::path& root = "/");
bool IsRunning(int pid, const std::filesystem::path& root = "/");

// A program that sends at a media's rate.
struct Streamer {
  int pid = 0;
  std::string name;
  std::string remote;  // where to, of its fastest connection
  double kbps = 0;
};

// All of this user's that send 200 kbit/s or more over one TCP connection, or keep a connected UDP socket's datagrams
// going, fastest first. Watches for `seconds`.
std::vector<Streamer> FindStreamers(double seconds, const std::filesystem::path& root = "/");

}  // namespace kettle
