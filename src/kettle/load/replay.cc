// SPDX-License-Identifier: Apache-2.0
#include "kettle/load/replay.h"

#include <pthread.h>
#include <sched.h>
#include <sys/prctl.h>

#include <algorithm>
#include <chrono>
#include <cstring>
#include <random>
#include <thread>
#include <vector>

#include "kettle/units/clock.h"

namespace kettle {

namespace {

using Monotonic = std::chrono::steady_clock;
constexpr double kMostOwedSeconds = 0.1;

// Memory traffic for a share of the time, arithmetic for the rest.
class Work {
 public:
  explicit Work(double memory_share) : memory_share_(memory_share) {
    if (memory_share > 0.02) buffer_.resize(16 << 20);
  }
  void Step() {
    turn_ += memory_share_;
    if (turn_ >= 1 && !buffer_.empty()) {
      turn_ -= 1;
      constexpr std::size_t kPiece = 256 << 10;
      at_ = (at_ + kPiece) % (buffer_.size() / 2);
      std::memcpy(buffer_.data() + at_, buffer_.data() + buffer_.size() / 2, kPiece);
    } else {
      for (int i = 0; i < 20'000; ++i) value_ = value_ * 6364136223846793005ULL + 1442695040888963407ULL;
    }
  }

 private:
  double memory_share_, turn_ = 0;
  std::vector<char> buffer_;
  std::size_t at_ = 0;
  volatile unsigned long long value_ = 1;
};

void PinTo(std::size_t core) {
  cpu_set_t set;
  CPU_ZERO(&set);
  CPU_SET(core, &set);
  pthread_setaffinity_np(pthread_self(), sizeof set, &set);  // where that is not allowed, anywhere
}

void Load(const LoadProfile& profile, std::size_t core, Monotonic::time_point start, const std::atomic<bool>& stop) {
  PinTo(core);
  Work work(profile.memory_share);
  // Uneven naps: the kernel counts by ticks, and even ones would always or never meet them.
  std::minstd_rand random(static_cast<unsigned>(core) + 1);
  std::uniform_real_distribution<double> nap_seconds(0.008, 0.024);
  double wanted = 0, done_before = ThreadCpuSeconds(), last = 0;
  while (!stop) {
    const double now = std::chrono::duration<double>(Monotonic::now() - start).count();
    const auto sample = static_cast<std::size_t>(now / profile.interval_seconds) % profile.duty.size();
    wanted += profile.duty[sample][core] * (now - last);
    last = now;
    const double done = ThreadCpuSeconds() - done_before;
    wanted = std::min(wanted, done + kMostOwedSeconds);
    if (done < wanted) {
      work.Step();
      continue;
    }
    std::this_thread::sleep_for(std::chrono::duration<double>(nap_seconds(random)));
  }
}

}  // namespace

void ReplayLoad(const LoadProfile& profile, double seconds, const std::function<void(double)>& progress) {
  prctl(PR_SET_NAME, kLoadProcess);  // of this process's first thread: the process is known by it
  std::atomic<bool> stop = false;
  const Monotonic::time_point start = Monotonic::now();
  std::vector<std::thread> threads;
  for (std::size_t core = 0; core < static_cast<std::size_t>(profile.cores()); ++core)
    threads.emplace_back([&, core] { Load(profile, core, start, stop); });
  const auto end = [&] {
    stop = true;
    for (std::thread& thread : threads) thread.join();
  };
  try {
    for (double now = 0; now < seconds; now = std::chrono::duration<double>(Monotonic::now() - start).count()) {
      progress(std::min(1.0, now / seconds));
      std::this_thread::sleep_for(std::chrono::duration<double>(std::min(0.2, seconds - now)));
    }
  } catch (...) {
    end();
    throw;
  }
  end();
}

}  // namespace kettle
