// SPDX-License-Identifier: Apache-2.0
// A thread from which no exception escapes: what it throws reaches whoever joins it.
#pragma once

#include <atomic>
#include <exception>
#include <functional>
#include <thread>
#include <utility>

namespace kettle {

class GuardedThread {
 public:
  GuardedThread() = default;
  explicit GuardedThread(std::function<void()> body)
      : thread_([this, body = std::move(body)] {
          try {
            body();
          } catch (...) {
            error_ = std::current_exception();
            failed_ = true;
          }
        }) {}
  ~GuardedThread() {
    if (thread_.joinable()) thread_.join();
  }
  GuardedThread(const GuardedThread&) = delete;
  GuardedThread& operator=(const GuardedThread&) = delete;

  bool failed() const { return failed_; }  // it has thrown already; thread-safe

  // Waits for its end, then throws what it threw, once.
  void Join() {
    if (thread_.joinable()) thread_.join();
    if (error_) std::rethrow_exception(std::exchange(error_, nullptr));
  }

 private:
  std::atomic<bool> failed_ = false;
  std::exception_ptr error_;  // read after the thread has ended
  std::thread thread_;        // last: all else is there when it starts
};

}  // namespace kettle
