// SPDX-License-Identifier: Apache-2.0
#include "kettle/worker/worker_process.h"

#include <fcntl.h>
#include <poll.h>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <csignal>
#include <cstring>

#include "kettle/store/json_text.h"
#include "kettle/units/clock.h"
#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"
#include "kettle/worker/worker_answer.h"

namespace kettle {

namespace {

using Json = nlohmann::json;

constexpr int kPollMs = 50;  // how soon a stop is noticed

// A running worker. It leads a session of its own; whatever way this object ends, the worker and all that it started
// and that stayed in its session's group have gone, and are waited for.
class Child {
 public:
  explicit Child(const std::vector<std::string>& command);  // throws Error(kMachine)
  ~Child() {
    for (int* fd : {&in, &out, &errors}) Close(*fd);
    if (pid_ < 0 || waited_) return;
    rusage unused{};
    Kill();
    Wait(unused);
  }
  Child(const Child&) = delete;
  Child& operator=(const Child&) = delete;

  void Kill() {
    kill(-pid_, SIGKILL);
    kill(pid_, SIGKILL);  // where it does not lead its group yet
  }
  // True once it has ended by itself; does not wait, and leaves its account for Wait.
  bool Ended() const {
    siginfo_t info{};
    return waitid(P_PID, static_cast<id_t>(pid_), &info, WEXITED | WNOHANG | WNOWAIT) == 0 && info.si_pid != 0;
  }
  // Blocks until it has ended, and ends what it leaves behind; its exit status, and what it used.
  int Wait(rusage& usage) {
    siginfo_t info{};
    while (waitid(P_PID, static_cast<id_t>(pid_), &info, WEXITED | WNOWAIT) < 0 && errno == EINTR) {
    }
    kill(-pid_, SIGKILL);  // while its number is still its own
    int status = 0;
    while (wait4(pid_, &status, 0, &usage) < 0 && errno == EINTR) {
    }
    waited_ = true;
    return status;
  }
  static void Close(int& fd) {
    if (fd >= 0) close(fd);
    fd = -1;
  }

  int in = -1, out = -1;
  int errors = -1;  // what it and the drivers in it say on standard error

 private:
  pid_t pid_ = -1;
  bool waited_ = false;
};

// The last line that was written there, without control characters; empty if none was.
std::string LastWords(int fd) {
  constexpr off_t kMost = 4096;
  std::string text(kMost, 0);
  const off_t end = lseek(fd, 0, SEEK_END), from = std::max<off_t>(0, end - kMost);
  const ssize_t bytes = pread(fd, text.data(), text.size(), from);
  text.resize(static_cast<std::size_t>(std::max<ssize_t>(0, bytes)));
  while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.pop_back();
  if (const auto line = text.rfind('\n'); line != text.npos) text.erase(0, line + 1);
  return PlainText(text, 200);
}

Child::Child(const std::vector<std::string>& command) {
  int to[2], from[2];
  if (pipe2(to, O_CLOEXEC) != 0) FailMachine("cannot make a pipe: {}", std::strerror(errno));
  if (pipe2(from, O_CLOEXEC) != 0) {
    close(to[0]);
    close(to[1]);
    FailMachine("cannot make a pipe: {}", std::strerror(errno));
  }
  std::vector<char*> arguments;
  arguments.reserve(command.size() + 1);
  for (const std::string& word : command) arguments.push_back(const_cast<char*>(word.c_str()));
  arguments.push_back(nullptr);
  in = to[1];
  out = from[0];
  errors = memfd_create("worker-errors", MFD_CLOEXEC);
  const pid_t parent = getpid();
  pid_ = fork();
  if (pid_ == 0) {
    // A session of its own: Ctrl-C reaches this program only, which then ends the worker; and SetSessionNiceness.
    setsid();
    prctl(PR_SET_PDEATHSIG, SIGKILL);
    if (getppid() != parent) _exit(127);
    dup2(to[0], STDIN_FILENO);
    dup2(from[1], STDOUT_FILENO);
    if (errors >= 0) dup2(errors, STDERR_FILENO);
    execv(arguments[0], arguments.data());
    _exit(127);
  }
  const int error = errno;
  close(to[0]);
  close(from[1]);
  if (pid_ >= 0) return;
  for (int* fd : {&in, &out, &errors}) Close(*fd);
  FailMachine("cannot start a worker process: {}", std::strerror(error));
}

// Writes all of `text` while it is taken within `most_seconds`. Where it is not, or the worker has gone, the rest is
// left: its silence or its exit tells why.
void WriteAll(int fd, std::string_view text, double most_seconds) {
  const SteadyClock clock;
  const std::int64_t end_ns = clock.now_ns() + static_cast<std::int64_t>(most_seconds * 1e9);
  fcntl(fd, F_SETFL, O_NONBLOCK);
  while (!text.empty() && clock.now_ns() < end_ns) {
    const ssize_t written = write(fd, text.data(), text.size());
    if (written > 0) {
      text.remove_prefix(static_cast<std::size_t>(written));
    } else if (errno == EAGAIN) {
      pollfd ready{fd, POLLOUT, 0};
      poll(&ready, 1, kPollMs);
    } else if (errno != EINTR) {
      return;
    }
  }
}

// Reads the worker's lines until it closes its output or must be killed.
class Conversation {
 public:
  Conversation(const Child& child, const WorkerRequest& request, const std::atomic<bool>* stop,
               const std::function<void(double)>& progress)
      : child_(child), request_(request), stop_(stop), answer_(progress) {}

  // False if the worker passed its deadline, or hung.
  bool Listen() {
    pollfd ready{child_.out, POLLIN, 0};
    while (true) {
      if (stop_ && *stop_) {
        interrupted_ = true;
        return true;
      }
      hung_ = request_.silence_seconds > 0 && Since(heard_ns_) > request_.silence_seconds;
      if (hung_ || Since(start_ns_) > request_.deadline_seconds) return false;
      // A process that it started may hold its output open. Looked at before its last words are read, not after.
      const bool ended = child_.Ended();
      const int events = poll(&ready, 1, ended ? 0 : kPollMs);
      if (events == 0 && ended) return true;
      if (events <= 0) continue;
      char buffer[65536];
      const ssize_t bytes = read(child_.out, buffer, sizeof buffer);
      if (bytes == 0 || (bytes < 0 && errno != EINTR)) return true;
      if (bytes > 0) answer_.Take({buffer, static_cast<std::size_t>(bytes)});
      if (heard_ns_ == start_ns_) first_word_seconds_ = Since(start_ns_);
      heard_ns_ = clock_.now_ns();
      if (answer_.nonsense()) return true;
    }
  }

  bool interrupted() const { return interrupted_; }
  bool hung() const { return hung_; }
  double first_word_seconds() const { return first_word_seconds_; }
  const WorkerAnswer& answer() const { return answer_; }

 private:
  double Since(std::int64_t ns) const { return static_cast<double>(clock_.now_ns() - ns) * 1e-9; }

  const Child& child_;
  const WorkerRequest& request_;
  const std::atomic<bool>* stop_;
  WorkerAnswer answer_;
  SteadyClock clock_;
  std::int64_t start_ns_ = clock_.now_ns(), heard_ns_ = start_ns_;
  double first_word_seconds_ = 0;
  bool interrupted_ = false, hung_ = false;
};

double Seconds(const timeval& time) {
  return static_cast<double>(time.tv_sec) + static_cast<double>(time.tv_usec) * 1e-6;
}

}  // namespace

const char* Name(WorkerStatus status) {
  switch (status) {
    case WorkerStatus::kDone: return "done";
    case WorkerStatus::kFailed: return "failed";
    case WorkerStatus::kCrashed: return "crashed";
    case WorkerStatus::kTimedOut: return "timed out";
    case WorkerStatus::kNonsense: return "nonsense";
    case WorkerStatus::kWrongOutput: return "wrong output";
  }
  return "";
}

WorkerReport WorkerProcess::Run(const WorkerRequest& request, const std::function<void(double)>& progress) const {
  signal(SIGPIPE, SIG_IGN);  // a worker that died before reading is reported, not fatal
  const SteadyClock clock;
  const std::int64_t start_ns = clock.now_ns();
  const Json message = {{"task", request.task},
                        {"stand_in_gpu", stand_in_gpu_.empty() ? Json() : Json(stand_in_gpu_)},
                        {"arguments", request.arguments}};
  const std::string text = JsonText(message);
  Child child(command_);
  WriteAll(child.in, text, request.silence_seconds > 0 ? request.silence_seconds : request.deadline_seconds);
  Child::Close(child.in);

  Conversation conversation(child, request, stop_, progress);
  bool in_time = conversation.Listen();
  if (!in_time || conversation.interrupted() || conversation.answer().nonsense()) child.Kill();
  Child::Close(child.out);
  // One that has closed its output but does not leave is given the rest of its time.
  while (in_time && !child.Ended()) {
    in_time = static_cast<double>(clock.now_ns() - start_ns) * 1e-9 <= request.deadline_seconds;
    usleep(500);
  }
  if (!in_time) child.Kill();
  rusage usage{};
  const int exit = child.Wait(usage);
  const std::string last_words = LastWords(child.errors);

  WorkerReport report;
  report.last_words = last_words;
  report.start_seconds = conversation.first_word_seconds();
  report.cpu_seconds = Seconds(usage.ru_utime) + Seconds(usage.ru_stime);
  report.peak_memory_bytes = usage.ru_maxrss * 1024L;
  report.wall_seconds = static_cast<double>(clock.now_ns() - start_ns) * 1e-9;
  if (conversation.interrupted()) throw Error(Fault::kInterrupted, "interrupted");
  if (!in_time) {
    report.status = WorkerStatus::kTimedOut;
    report.detail = conversation.hung()
                        ? fmt::format("it hung: it said nothing for {:.0f} s and was ended", request.silence_seconds)
                        : fmt::format("it had not finished after {:.0f} s and was ended", request.deadline_seconds);
  } else if (conversation.answer().nonsense()) {
    report.detail = "it wrote something that is no answer";
  } else if (WIFSIGNALED(exit)) {
    report.status = WorkerStatus::kCrashed;
    report.detail = fmt::format("it was ended by signal {} ({}){}", WTERMSIG(exit), strsignal(WTERMSIG(exit)),
                                last_words.empty() ? "" : "; its last words: " + last_words);
  } else if (!conversation.answer().error().empty()) {
    report.status = WorkerStatus::kFailed;
    report.detail = conversation.answer().error();
    report.input = conversation.answer().input();
    // That is no property of the encoder: nothing that follows would fare better.
    if (report.detail.find(std::strerror(ENOSPC)) != std::string::npos) throw Error(Fault::kMachine, report.detail);
  } else if (conversation.answer().result().is_object()) {
    report.status = WorkerStatus::kDone;
    report.result = conversation.answer().result();
  } else {
    report.detail = fmt::format("it ended with code {} and no answer", WEXITSTATUS(exit));
  }
  return report;
}

}  // namespace kettle
