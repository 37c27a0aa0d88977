// SPDX-License-Identifier: Apache-2.0
#include "kettle/process/command.h"

#include <poll.h>
#include <sys/wait.h>
#include <unistd.h>

#include "kettle/process/child_process.h"
#include "kettle/units/clock.h"
#include "kettle/units/plain_text.h"

namespace kettle {

namespace {

constexpr std::size_t kMostOutput = 4096;

// Reads until the program has ended; true if it had to be ended.
bool Follow(ChildProcess& child, int output, double most_seconds, std::string& said) {
  constexpr int kOutputPollMs = 20;
  const SteadyClock clock;
  const std::int64_t end_ns = clock.now_ns() + static_cast<std::int64_t>(most_seconds * 1e9);
  bool ended = false, open = true;
  while (true) {
    pollfd ready{open ? output : -1, POLLIN, 0};
    poll(&ready, 1, kOutputPollMs);
    char buffer[4096];
    const ssize_t bytes = ready.revents != 0 ? read(output, buffer, sizeof buffer) : -1;
    if (bytes > 0 && said.size() < kMostOutput) said.append(buffer, static_cast<std::size_t>(bytes));
    if (bytes == 0) open = false;
    if (bytes > 0) continue;  // all that it said, before its end is looked for
    if (child.Ended()) return ended;
    if (ended || clock.now_ns() <= end_ns) continue;
    child.End();
    ended = true;
  }
}

}  // namespace

CommandOutcome RunCommand(const std::vector<std::string>& words, double most_seconds) {
  CommandOutcome outcome;
  const std::optional<std::string> program = FindProgram(words[0]);
  if (!program) {
    outcome.status = CommandOutcome::Status::kNotFound;
    return outcome;
  }
  ChildSetup setup{.words = words};
  setup.words[0] = *program;
  PipeEnds pipe = MakePipe();
  setup.output = setup.errors = pipe.write.get();
  ChildProcess child(setup);
  pipe.write.Close();
  std::string said;
  const bool ended = Follow(child, pipe.read.get(), most_seconds, said);
  rusage unused{};
  const int status = child.Wait(unused);
  outcome.output = PlainText(said, kMostOutput);
  outcome.code = WIFSIGNALED(status) ? WTERMSIG(status) : WEXITSTATUS(status);
  if (ended)
    outcome.status = CommandOutcome::Status::kTimedOut;
  else if (WIFSIGNALED(status))
    outcome.status = CommandOutcome::Status::kSignalled;
  return outcome;
}

}  // namespace kettle
