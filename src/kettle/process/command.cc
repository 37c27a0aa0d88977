// SPDX-License-Identifier: Apache-2.0
#include "kettle/process/command.h"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstring>

#include "kettle/units/clock.h"
#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"

extern char** environ;

namespace kettle {

namespace {

constexpr std::size_t kMostOutput = 4096;

// What posix_spawn is told, freed at the end of its life.
struct SpawnSettings {
  posix_spawn_file_actions_t files;
  posix_spawnattr_t attributes;
  SpawnSettings() {
    posix_spawn_file_actions_init(&files);
    posix_spawnattr_init(&attributes);
  }
  ~SpawnSettings() {
    posix_spawn_file_actions_destroy(&files);
    posix_spawnattr_destroy(&attributes);
  }
  SpawnSettings(const SpawnSettings&) = delete;
  SpawnSettings& operator=(const SpawnSettings&) = delete;
};

// posix_spawnp's error number; 0: it runs, as the leader of a process group.
int Spawn(const std::vector<std::string>& words, int output, pid_t& pid) {
  std::vector<char*> arguments;
  for (const std::string& word : words) arguments.push_back(const_cast<char*>(word.c_str()));
  arguments.push_back(nullptr);
  SpawnSettings settings;
  posix_spawn_file_actions_addopen(&settings.files, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_adddup2(&settings.files, output, STDOUT_FILENO);
  posix_spawn_file_actions_adddup2(&settings.files, output, STDERR_FILENO);
  posix_spawnattr_setflags(&settings.attributes, POSIX_SPAWN_SETPGROUP);
  posix_spawnattr_setpgroup(&settings.attributes, 0);
  return posix_spawnp(&pid, arguments[0], &settings.files, &settings.attributes, arguments.data(), environ);
}

// Reads until the program has ended; true if it had to be killed.
bool Follow(pid_t pid, int output, double most_seconds, std::string& said, int& status) {
  constexpr int kOutputPollMs = 20;
  const SteadyClock clock;
  const std::int64_t end_ns = clock.now_ns() + static_cast<std::int64_t>(most_seconds * 1e9);
  bool killed = false, open = true;
  while (true) {
    pollfd ready{open ? output : -1, POLLIN, 0};
    poll(&ready, 1, kOutputPollMs);
    char buffer[4096];
    const ssize_t bytes = ready.revents != 0 ? read(output, buffer, sizeof buffer) : -1;
    if (bytes > 0 && said.size() < kMostOutput) said.append(buffer, static_cast<std::size_t>(bytes));
    if (bytes == 0) open = false;
    if (bytes > 0) continue;  // all that it said, before its end is looked for
    if (waitpid(pid, &status, WNOHANG) == pid) return killed;
    if (!killed && clock.now_ns() > end_ns) killed = kill(-pid, SIGKILL) == 0;
  }
}

}  // namespace

CommandOutcome RunCommand(const std::vector<std::string>& words, double most_seconds) {
  int pipe_ends[2];
  if (pipe2(pipe_ends, O_CLOEXEC) != 0) FailMachine("cannot make a pipe: {}", std::strerror(errno));
  pid_t pid = -1;
  const int error = Spawn(words, pipe_ends[1], pid);
  close(pipe_ends[1]);
  CommandOutcome outcome;
  if (error != 0) {
    close(pipe_ends[0]);
    if (error != ENOENT && error != EACCES) FailMachine("cannot start {}: {}", words[0], std::strerror(error));
    outcome.status = CommandOutcome::Status::kNotFound;
    return outcome;
  }
  int status = 0;
  std::string said;
  const bool killed = Follow(pid, pipe_ends[0], most_seconds, said, status);
  close(pipe_ends[0]);
  outcome.output = PlainText(said, kMostOutput);
  outcome.code = WIFSIGNALED(status) ? WTERMSIG(status) : WEXITSTATUS(status);
  if (killed)
    outcome.status = CommandOutcome::Status::kTimedOut;
  else if (WIFSIGNALED(status))
    outcome.status = CommandOutcome::Status::kSignalled;
  return outcome;
}

}  // namespace kettle
