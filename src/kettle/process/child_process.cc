// SPDX-License-Identifier: Apache-2.0
#include "kettle/process/child_process.h"

#include <fcntl.h>
#include <sys/prctl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <utility>

#include "kettle/units/error.h"

namespace kettle {

OwnedFd& OwnedFd::operator=(OwnedFd&& other) noexcept {
  if (this != &other) {
    Close();
    fd_ = other.Release();
  }
  return *this;
}
int OwnedFd::Release() { return std::exchange(fd_, -1); }
void OwnedFd::Close() {
  if (fd_ >= 0) close(std::exchange(fd_, -1));
}

PipeEnds MakePipe() {
  int ends[2];
  if (pipe2(ends, O_CLOEXEC) != 0) FailMachine("cannot make a pipe: {}", std::strerror(errno));
  return {OwnedFd(ends[0]), OwnedFd(ends[1])};
}

std::optional<std::string> FindProgram(const std::string& name) {
  if (name.find('/') != name.npos) return access(name.c_str(), X_OK) == 0 ? std::optional(name) : std::nullopt;
  const char* variable = std::getenv("PATH");
  std::string rest = variable ? variable : "/usr/local/bin:/usr/bin:/bin";
  while (!rest.empty()) {
    const std::string folder = rest.substr(0, rest.find(':'));
    rest.erase(0, folder.size() + 1);
    const std::string path = (folder.empty() ? "." : folder) + "/" + name;
    if (access(path.c_str(), X_OK) == 0) return path;
  }
  return std::nullopt;
}

namespace {

// Between fork and exec: nothing here may allocate, as another thread may hold the allocator's lock.
[[noreturn]] void Become(const ChildSetup& setup, char* const* arguments, char* const* variables, pid_t parent,
                         int null) {
  if (setup.own_session) setsid();
  prctl(PR_SET_PDEATHSIG, setup.end_signal);
  if (getppid() != parent) _exit(127);  // it ended before it could be watched
  dup2(setup.input >= 0 ? setup.input : null, STDIN_FILENO);
  dup2(setup.output >= 0 ? setup.output : null, STDOUT_FILENO);
  if (setup.errors >= 0) dup2(setup.errors, STDERR_FILENO);
  execve(arguments[0], arguments, variables);
  _exit(127);
}

// This program's own variables, with those in place of what has the same name.
std::vector<std::string> Environment(const std::vector<std::pair<std::string, std::string>>& others) {
  std::vector<std::string> variables;
  for (char** own = environ; *own; ++own) {
    const std::string variable = *own;
    const bool replaced = std::any_of(others.begin(), others.end(),
                                      [&](const auto& other) { return variable.starts_with(other.first + "="); });
    if (!replaced) variables.push_back(variable);
  }
  for (const auto& [name, value] : others) variables.push_back(name + "=" + value);
  return variables;
}

// As exec(3) wants them.
std::vector<char*> Pointers(const std::vector<std::string>& words) {
  std::vector<char*> pointers;
  for (const std::string& word : words) pointers.push_back(const_cast<char*>(word.c_str()));
  pointers.push_back(nullptr);
  return pointers;
}

}  // namespace

ChildProcess::ChildProcess(const ChildSetup& setup) : own_session_(setup.own_session), end_signal_(setup.end_signal) {
  const std::vector<char*> arguments = Pointers(setup.words);
  const std::vector<std::string> environment = Environment(setup.environment);
  const std::vector<char*> variables = Pointers(environment);
  const OwnedFd null(open("/dev/null", O_RDWR | O_CLOEXEC));
  const pid_t parent = getpid();
  pid_ = fork();
  if (pid_ == 0) Become(setup, arguments.data(), variables.data(), parent, null.get());
  if (pid_ < 0) FailMachine("cannot start {}: {}", setup.words[0], std::strerror(errno));
}

ChildProcess::~ChildProcess() {
  if (waited_) return;
  rusage unused{};
  End();
  Wait(unused);
}

void ChildProcess::End() {
  if (own_session_) kill(-pid_, end_signal_);
  kill(pid_, end_signal_);  // where it does not lead its group yet, too
}

bool ChildProcess::Ended() const {
  siginfo_t info{};
  return waitid(P_PID, static_cast<id_t>(pid_), &info, WEXITED | WNOHANG | WNOWAIT) == 0 && info.si_pid != 0;
}

int ChildProcess::Wait(rusage& usage) {
  siginfo_t info{};
  while (waitid(P_PID, static_cast<id_t>(pid_), &info, WEXITED | WNOWAIT) < 0 && errno == EINTR) {
  }
  if (own_session_) kill(-pid_, SIGKILL);  // while its number is still its own
  int status = 0;
  while (wait4(pid_, &status, 0, &usage) < 0 && errno == EINTR) {
  }
  waited_ = true;
  return status;
}

}  // namespace kettle
