// SPDX-License-Identifier: Apache-2.0
#include "kettle/worker/worker_process.h"

#include <fcntl.h>
#include <poll.h>
#include <sys/mman.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <csignal>
#include <cstring>

#include "kettle/process/child_process.h"
#include "kettle/store/json_text.h"
#include "kettle/units/clock.h"
#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"
#include "kettle/worker/worker_answer.h"

namespace kettle {

namespace {

using Json = nlohmann::json;

constexpr int kPollMs = 50;  // how soon a stop is noticed

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

// A worker that runs, with the ways to it.
struct Worker {
  Worker(const std::vector<std::string>& command, const StandInGpu& gpu)
      : to(MakePipe()),
        from(MakePipe()),
        errors(memfd_create("worker-errors", MFD_CLOEXEC)),
        process({command, to.read.get(), from.write.get(), errors.get(), WorkerEnvironment(gpu)}) {
    to.read.Close();
    from.write.Close();
  }
  PipeEnds to, from;
  OwnedFd errors;  // what it and the drivers in it say on standard error
  ChildProcess process;
};

// Reads the worker's lines until it closes its output or must be killed.
class Conversation {
 public:
  Conversation(const Worker& worker, const WorkerRequest& request, const std::atomic<bool>* stop,
               const std::function<void(double)>& progress)
      : worker_(worker), request_(request), stop_(stop), answer_(progress) {}

  // False if the worker passed its deadline, or hung.
  bool Listen() {
    const int out = worker_.from.read.get();
    pollfd ready{out, POLLIN, 0};
    while (true) {
      if (stop_ && *stop_) {
        interrupted_ = true;
        return true;
      }
      hung_ = request_.silence_seconds > 0 && Since(heard_ns_) > request_.silence_seconds;
      if (hung_ || Since(start_ns_) > request_.deadline_seconds) return false;
      // A process that it started may hold its output open. Looked at before its last words are read, not after.
      const bool ended = worker_.process.Ended();
      const int events = poll(&ready, 1, ended ? 0 : kPollMs);
      if (events == 0 && ended) return true;
      if (events <= 0) continue;
      char buffer[65536];
      const ssize_t bytes = read(out, buffer, sizeof buffer);
      if (bytes == 0 || (bytes < 0 && errno != EINTR)) return true;
      if (bytes > 0) answer_.Read({buffer, static_cast<std::size_t>(bytes)});
      if (heard_ns_ == start_ns_) first_word_seconds_ = Since(start_ns_);
      heard_ns_ = clock_.now_ns();
      if (answer_.malformed()) return true;
    }
  }

  bool interrupted() const { return interrupted_; }
  bool hung() const { return hung_; }
  double first_word_seconds() const { return first_word_seconds_; }
  double seconds() const { return Since(start_ns_); }  // since it began
  const WorkerAnswer& answer() const { return answer_; }

 private:
  double Since(std::int64_t ns) const { return static_cast<double>(clock_.now_ns() - ns) * 1e-9; }

  const Worker& worker_;
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

// How the worker ended, once its account is closed.
struct Ending {
  bool in_time = true;
  int status = 0;  // as wait(2) gives it
  rusage usage{};
  std::string last_words;
};

// Speaks with the worker until it has ended, or ends it.
Ending Attend(Worker& worker, Conversation& conversation, double deadline_seconds) {
  Ending ending;
  ending.in_time = conversation.Listen();
  if (!ending.in_time || conversation.interrupted() || conversation.answer().malformed()) worker.process.End();
  worker.from.read.Close();
  // One that has closed its output but does not leave is given the rest of its time.
  while (ending.in_time && !worker.process.Ended()) {
    ending.in_time = conversation.seconds() <= deadline_seconds;
    usleep(500);
  }
  if (!ending.in_time) worker.process.End();
  ending.status = worker.process.Wait(ending.usage);
  ending.last_words = LastWords(worker.errors.get());
  return ending;
}

// Fills in what became of the task.
void Judge(const Conversation& conversation, const WorkerRequest& request, const Ending& ending, WorkerReport& report) {
  const WorkerAnswer& answer = conversation.answer();
  if (!ending.in_time) {
    report.status = WorkerStatus::kTimedOut;
    report.detail = conversation.hung() ? fmt::format("no answer for {:.0f} s; stopped", request.silence_seconds)
                                        : fmt::format("not finished after {:.0f} s; stopped", request.deadline_seconds);
  } else if (answer.malformed()) {
    report.detail = "malformed reply";
  } else if (WIFSIGNALED(ending.status)) {
    const int signal = WTERMSIG(ending.status);
    report.status = WorkerStatus::kCrashed;
    report.detail = fmt::format("crashed with signal {} ({}){}", signal, strsignal(signal),
                                ending.last_words.empty() ? "" : "; last output: " + ending.last_words);
  } else if (!answer.error().empty()) {
    report.status = WorkerStatus::kFailed;
    report.detail = answer.error();
    report.input = answer.input();
  } else if (answer.result().is_object()) {
    report.status = WorkerStatus::kDone;
    report.result = answer.result();
  } else {
    report.detail = fmt::format("exit code {} and no reply", WEXITSTATUS(ending.status));
  }
}

}  // namespace

const char* Name(WorkerStatus status) {
  switch (status) {
    case WorkerStatus::kDone: return "done";
    case WorkerStatus::kFailed: return "failed";
    case WorkerStatus::kCrashed: return "crashed";
    case WorkerStatus::kTimedOut: return "timed out";
    case WorkerStatus::kMalformed: return "malformed reply";
    case WorkerStatus::kWrongOutput: return "wrong output";
  }
  return "";
}

WorkerStatus ParseWorkerStatus(const std::string& name) {
  for (const WorkerStatus status : {WorkerStatus::kDone, WorkerStatus::kFailed, WorkerStatus::kCrashed,
                                    WorkerStatus::kTimedOut, WorkerStatus::kMalformed, WorkerStatus::kWrongOutput})
    if (name == Name(status)) return status;
  FailInput("\"{}\" is not a trial's status", name);
}

WorkerReport WorkerProcess::Run(const WorkerRequest& request, const std::function<void(double)>& progress) const {
  signal(SIGPIPE, SIG_IGN);  // a worker that died before reading is reported, not fatal
  const Json message = {{"task", request.task},
                        {"stand_in_gpu", stand_in_gpu_.empty() ? Json() : Json(stand_in_gpu_)},
                        {"arguments", request.arguments}};
  const std::string text = JsonText(message);
  const SteadyClock clock;
  const std::int64_t start_ns = clock.now_ns();
  Worker worker(command_, stand_in_gpu_);
  WriteAll(worker.to.write.get(), text,
           request.silence_seconds > 0 ? request.silence_seconds : request.deadline_seconds);
  worker.to.write.Close();
  Conversation conversation(worker, request, stop_, progress);
  const Ending ending = Attend(worker, conversation, request.deadline_seconds);

  WorkerReport report;
  report.last_words = ending.last_words;
  report.start_seconds = conversation.first_word_seconds();
  report.cpu_seconds = Seconds(ending.usage.ru_utime) + Seconds(ending.usage.ru_stime);
  report.peak_memory_bytes = ending.usage.ru_maxrss * 1024L;
  report.wall_seconds = static_cast<double>(clock.now_ns() - start_ns) * 1e-9;
  if (conversation.interrupted()) throw Error(Fault::kInterrupted, "interrupted");
  Judge(conversation, request, ending, report);
  // A full disk is no property of the encoder: nothing that follows would fare better.
  if (report.status == WorkerStatus::kFailed && report.detail.find(std::strerror(ENOSPC)) != std::string::npos)
    throw Error(Fault::kMachine, report.detail);
  return report;
}

}  // namespace kettle
