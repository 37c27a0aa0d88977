// SPDX-License-Identifier: Apache-2.0
// The stand-in device's one encode engine: a time line that all its sessions share.
#pragma once

#include <algorithm>
#include <atomic>
#include <cstdint>
#include <mutex>

#include "profile.h"

namespace standin {

class Engine {
 public:
  explicit Engine(const Profile& profile) : profile_(profile) {}

  // Takes a session's place; false if the limit is reached. Give it back with `Leave`.
  bool Enter() {
    std::lock_guard lock(mutex_);
    if (sessions_ >= profile_.session_limit) return false;
    ++sessions_;
    return true;
  }
  void Leave() {
    std::lock_guard lock(mutex_);
    --sessions_;
  }

  // Books the engine for one picture, first come first served. `submitted_ns` and the result are on
  // the monotonic clock: the result is when the engine is done with the picture.
  std::int64_t Book(std::int64_t submitted_ns, int width, int height, int preset) {
    const double speed = profile_.megapixels_per_second[static_cast<std::size_t>(preset - 1)] * 1e6;
    const auto cost_ns = static_cast<std::int64_t>(1e9 * width * height / speed);
    std::lock_guard lock(mutex_);
    free_at_ns_ = std::max(free_at_ns_, submitted_ns) + cost_ns;
    return free_at_ns_;
  }

 private:
  const Profile profile_;
  std::mutex mutex_;
  int sessions_ = 0;
  std::int64_t free_at_ns_ = 0;
};

}  // namespace standin
