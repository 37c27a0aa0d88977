// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/worker_process.h"

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

#include "kettle/units/clock.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

using nlohmann::json;

constexpr int kPollMs = 50;                       // how soon a stop is noticed
constexpr std::size_t kLongestOutput = 64 << 20;  // a worker that writes more writes nonsense

struct Child {
  pid_t pid = -1;
  int in = -1, out = -1;
  int errors = -1;  // what it and the drivers in it say on standard error
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
  std::erase_if(text, [](char c) { return std::iscntrl(static_cast<unsigned char>(c)); });
  return text.substr(0, 200);
}

Child Start(const std::vector<std::string>& command) {
  int in[2], out[2];
  if (pipe2(in, O_CLOEXEC) != 0 || pipe2(out, O_CLOEXEC) != 0)
    FailMachine("cannot make a pipe: {}", std::strerror(errno));
  std::vector<char*> arguments;
  arguments.reserve(command.size() + 1);
  for (const std::string& word : command) arguments.push_back(const_cast<char*>(word.c_str()));
  arguments.push_back(nullptr);
  const int errors = memfd_create("worker-errors", MFD_CLOEXEC);
  const pid_t parent = getpid(), pid = fork();
  if (pid == 0) {
    // A session of its own: Ctrl-C reaches this program only, which then ends the worker; and SetSessionNiceness.
    setsid();
    prctl(PR_SET_PDEATHSIG, SIGKILL);
    if (getppid() != parent) _exit(127);
    dup2(in[0], STDIN_FILENO);
    dup2(out[1], STDOUT_FILENO);
    if (errors >= 0) dup2(errors, STDERR_FILENO);
    execv(arguments[0], arguments.data());
    _exit(127);
  }
  close(in[0]);
  close(out[1]);
  if (pid < 0) {
    close(in[1]);
    close(out[0]);
    close(errors);
    FailMachine("cannot start a worker process: {}", std::strerror(errno));
  }
  return {pid, in[1], out[0], errors};
}

void WriteAll(int fd, std::string_view text) {
  while (!text.empty()) {
    const ssize_t written = write(fd, text.data(), text.size());
    if (written <= 0 && errno != EINTR) return;  // it has gone: its exit tells why
    if (written > 0) text.remove_prefix(static_cast<std::size_t>(written));
  }
}

// Reads the worker's lines until it closes its output or must be killed.
class Conversation {
 public:
  Conversation(const Child& child, const WorkerRequest& request, const std::atomic<bool>* stop,
               const std::function<void(double)>& progress)
      : child_(child), request_(request), stop_(stop), progress_(progress) {}

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
      const int events = poll(&ready, 1, kPollMs);
      if (events == 0 && Ended()) return true;  // a process that it started may hold its output open
      if (events <= 0) continue;
      char buffer[65536];
      const ssize_t bytes = read(child_.out, buffer, sizeof buffer);
      if (bytes == 0 || (bytes < 0 && errno != EINTR)) return true;
      if (bytes > 0) Take({buffer, static_cast<std::size_t>(bytes)});
      if (heard_ns_ == start_ns_) first_word_seconds_ = Since(start_ns_);
      heard_ns_ = clock_.now_ns();
      if (nonsense_) return true;
    }
  }

  bool interrupted() const { return interrupted_; }
  bool nonsense() const { return nonsense_; }
  bool hung() const { return hung_; }
  double first_word_seconds() const { return first_word_seconds_; }
  const json& result() const { return result_; }
  const std::string& error() const { return error_; }
  bool input() const { return input_; }

 private:
  bool Ended() const {
    siginfo_t info{};
    return waitid(P_PID, static_cast<id_t>(child_.pid), &info, WEXITED | WNOHANG | WNOWAIT) == 0 && info.si_pid != 0;
  }

  double Since(std::int64_t ns) const { return static_cast<double>(clock_.now_ns() - ns) * 1e-9; }

  void Take(std::string_view text) {
    received_ += text.size();
    if (received_ > kLongestOutput) nonsense_ = true;
    for (std::size_t end; (end = text.find('\n')) != std::string_view::npos; text.remove_prefix(end + 1)) {
      pending_ += text.substr(0, end);
      TakeLine(json::parse(pending_, nullptr, false));
      pending_.clear();
    }
    pending_ += text;
  }

  void TakeLine(const json& line) {
    if (!line.is_object())
      nonsense_ = true;
    else if (line.contains("result"))
      result_ = line["result"];
    else if (line.contains("error") && line["error"].is_string()) {
      error_ = line["error"];
      input_ = line.value("input", json()) == json(true);
    } else if (line.contains("progress") && line["progress"].is_number()) {
      if (progress_) progress_(line["progress"]);
    } else
      nonsense_ = true;
  }

  Child child_;
  const WorkerRequest& request_;
  const std::atomic<bool>* stop_;
  const std::function<void(double)>& progress_;
  SteadyClock clock_;
  std::int64_t start_ns_ = clock_.now_ns(), heard_ns_ = start_ns_;
  double first_word_seconds_ = 0;
  std::string pending_, error_;
  json result_;
  std::size_t received_ = 0;
  bool interrupted_ = false, nonsense_ = false, hung_ = false, input_ = false;
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
  const Child child = Start(command_);
  const json message = {{"task", request.task},
                        {"stand_in_gpu", stand_in_gpu_.empty() ? json() : json(stand_in_gpu_)},
                        {"arguments", request.arguments}};
  WriteAll(child.in, message.dump());
  close(child.in);

  Conversation conversation(child, request, stop_, progress);
  bool in_time = conversation.Listen();
  if (!in_time || conversation.interrupted() || conversation.nonsense()) kill(child.pid, SIGKILL);
  close(child.out);
  int exit = 0;
  rusage usage{};
  // One that has closed its output but does not leave is given the rest of its time.
  while (in_time && wait4(child.pid, &exit, WNOHANG, &usage) == 0) {
    if (static_cast<double>(clock.now_ns() - start_ns) * 1e-9 > request.deadline_seconds)
      in_time = false;
    else
      usleep(500);
  }
  if (!in_time) {
    kill(child.pid, SIGKILL);
    wait4(child.pid, &exit, 0, &usage);
  }

  const std::string last_words = LastWords(child.errors);
  close(child.errors);

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
                        ? fmt::format("it hung: not a word for {:.0f} s; it was ended", request.silence_seconds)
                        : fmt::format("it had not finished after {:.0f} s and was ended", request.deadline_seconds);
  } else if (conversation.nonsense()) {
    report.detail = "it wrote something that is no answer";
  } else if (WIFSIGNALED(exit)) {
    report.status = WorkerStatus::kCrashed;
    report.detail = fmt::format("it was ended by signal {} ({}){}", WTERMSIG(exit), strsignal(WTERMSIG(exit)),
                                last_words.empty() ? "" : "; its last words: " + last_words);
  } else if (!conversation.error().empty()) {
    report.status = WorkerStatus::kFailed;
    report.detail = conversation.error();
    report.input = conversation.input();
    // That is no property of the encoder: nothing that follows would fare better.
    if (report.detail.find(std::strerror(ENOSPC)) != std::string::npos) throw Error(Fault::kMachine, report.detail);
  } else if (conversation.result().is_object()) {
    report.status = WorkerStatus::kDone;
    report.result = conversation.result();
  } else {
    report.detail = fmt::format("it ended with code {} and no answer", WEXITSTATUS(exit));
  }
  return report;
}

}  // namespace kettle
