// SPDX-License-Identifier: Apache-2.0
// Runs another program to its end, without a shell.
#pragma once

#include <string>
#include <vector>

namespace kettle {

struct CommandOutcome {
  enum class Status { kEnded, kNotFound, kTimedOut, kSignalled } status = Status::kEnded;
  int code = 0;        // its exit code; of kSignalled the signal's number
  std::string output;  // the first 4096 bytes of its standard output and standard error, as plain text

  bool ok() const { return status == Status::kEnded && code == 0; }
};

// `words[0]` is looked for in PATH; the others reach it as they are, whatever they hold. Its standard input is empty. A
// program that runs for longer than `most_seconds` is killed, with all processes that it started (it leads a process
// group). Blocks until then; throws Error(kMachine) only if no process can be started at all.
CommandOutcome RunCommand(const std::vector<std::string>& words, double most_seconds);

}  // namespace kettle
