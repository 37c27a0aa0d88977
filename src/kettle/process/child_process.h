// SPDX-License-Identifier: Apache-2.0
// A program that this one started, and that never outlives it.
#pragma once

#include <sys/resource.h>
#include <sys/types.h>

#include <csignal>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace kettle {

// A file descriptor that closes itself.
class OwnedFd {
 public:
  OwnedFd() = default;
  explicit OwnedFd(int fd) : fd_(fd) {}
  OwnedFd(OwnedFd&& other) noexcept : fd_(other.Release()) {}
  OwnedFd& operator=(OwnedFd&& other) noexcept;
  ~OwnedFd() { Close(); }
  int get() const { return fd_; }
  int Release();
  void Close();

 private:
  int fd_ = -1;
};

struct PipeEnds {
  OwnedFd read, write;
};
PipeEnds MakePipe();  // neither end is inherited; throws Error(kMachine)

// Where PATH has a program of that name; the name itself if it is a path. Nothing if there is none.
std::optional<std::string> FindProgram(const std::string& name);

struct ChildSetup {
  std::vector<std::string> words;  // the program's path and its arguments
  int input = -1, output = -1,
      errors = -1;  // its standard streams; below zero: /dev/null, of errors this program's own
  // Variables that it has besides this program's own, or with other values.
  std::vector<std::pair<std::string, std::string>> environment = {};
  // Away from the terminal's Ctrl-C, and with all that it starts in one group of processes that ends with it.
  bool own_session = true;
  int end_signal = SIGKILL;  // how it is ended
};

class ChildProcess {
 public:
  explicit ChildProcess(const ChildSetup& setup);  // throws Error(kMachine)
  // Ends it, if it still runs, and waits for it.
  ~ChildProcess();
  ChildProcess(const ChildProcess&) = delete;
  ChildProcess& operator=(const ChildProcess&) = delete;

  void End();
  // True once it has ended by itself; does not wait, and leaves its account for Wait.
  bool Ended() const;
  // Blocks until it has ended, and kills what it leaves behind in a session of its own; its exit status as wait(2)
  // gives it, and what it used. To be called once.
  int Wait(rusage& usage);

 private:
  const bool own_session_;
  const int end_signal_;
  pid_t pid_ = -1;
  bool waited_ = false;
};

}  // namespace kettle
