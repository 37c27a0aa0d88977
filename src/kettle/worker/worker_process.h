// SPDX-License-Identifier: Apache-2.0
// Runs a worker process for one task, and survives whatever it does.
#pragma once

#include <atomic>
#include <functional>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/worker/driver_preload.h"

namespace kettle {

enum class WorkerStatus {
  kDone,         // it gave a result
  kFailed,       // it said why it could not
  kCrashed,      // a signal ended it
  kTimedOut,     // it passed its deadline, or hung, and was killed
  kMalformed,    // what it wrote is not what was agreed
  kWrongOutput,  // what it encoded is not what it was given
};
const char* Name(WorkerStatus status);  // "done", "failed", "crashed", "timed out", "malformed reply", "wrong output"
// Throws Error(kInput) for any other name.
WorkerStatus ParseWorkerStatus(const std::string& name);

struct WorkerReport {
  WorkerStatus status = WorkerStatus::kMalformed;
  nlohmann::json result;   // for kDone
  std::string detail;      // for the others: one line
  bool input = false;      // for kFailed: what it was given is at fault, not the machine
  std::string last_words;  // the last line on its standard error; empty if there was none
  double cpu_seconds = 0;  // user and system, the kernel's account of the process and its threads
  double wall_seconds = 0;
  double start_seconds = 0;  // until its first word: loading, mapping
  std::int64_t peak_memory_bytes = 0;
};

// The worker's answer as a T. Nothing if there is none, or if it is no T: the report's status then is
// kMalformed.
template <typename T>
std::optional<T> AnswerOf(WorkerReport& report) {
  if (report.status != WorkerStatus::kDone) return std::nullopt;
  try {
    return report.result.get<T>();
  } catch (const nlohmann::json::exception& error) {
    report.status = WorkerStatus::kMalformed;
    report.detail = error.what();
    return std::nullopt;
  }
}

// What a worker is asked.
struct WorkerRequest {
  std::string task;
  nlohmann::json arguments;
  double deadline_seconds = 60;
  double silence_seconds = 0;  // without a word for this long, it counts as hung; 0: only the deadline counts
};

class WorkerProcess {
 public:
  // `command` is the program and its arguments. When `*stop` becomes true, the running worker is killed and
  // Error(kInterrupted) thrown.
  WorkerProcess(std::vector<std::string> command, StandInGpu stand_in_gpu, const std::atomic<bool>* stop)
      : command_(std::move(command)), stand_in_gpu_(std::move(stand_in_gpu)), stop_(stop) {}

  // Throws Error(kMachine) only if no process can be started at all, or the disk is full. The worker dies with this
  // process.
  WorkerReport Run(const WorkerRequest& request, const std::function<void(double)>& progress = {}) const;

  const StandInGpu& stand_in_gpu() const { return stand_in_gpu_; }

 private:
  std::vector<std::string> command_;
  StandInGpu stand_in_gpu_;
  const std::atomic<bool>* stop_;
};

}  // namespace kettle
