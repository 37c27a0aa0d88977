// SPDX-License-Identifier: Apache-2.0
// The pieces of real-time release: which frame is due when, and a queue that skips when it is full.
#pragma once

#include <condition_variable>
#include <cstdint>
#include <deque>
#include <functional>
#include <mutex>
#include <optional>

#include "kettle/units/clock.h"
#include "kettle/units/units.h"

namespace kettle {

// Which frames of a source an output of the same or a lower rate takes: those on which its own count
// moves on. Exact for any two rates.
class FrameSelector {
 public:
  FrameSelector(FrameRate source, FrameRate output) : source_(source), output_(output) {}
  // The output's frame number for source frame `index`, if the output takes that frame.
  std::optional<std::int64_t> FrameNumber(std::int64_t index) const;

 private:
  std::int64_t Count(std::int64_t index) const;
  FrameRate source_, output_;
};

// Calls `release(index, due_ns, late)` for each of `frames` frames at its due time, start + index /
// rate. Due times never slide: after a stall the frames that fell due meanwhile follow at once. `late`
// says that the source came more than one frame interval after the due time. Stops early when
// `release` returns false.
void ReleaseFrames(Clock& clock, FrameRate rate, std::int64_t start_ns, std::int64_t frames,
                   const std::function<bool(std::int64_t index, std::int64_t due_ns, bool late)>& release);

// A bounded queue between the source and one encoder. Push never waits: a full queue refuses, and that
// frame is skipped. For a while it may be given more room than its depth, which its deepest does not count.
// Thread-safe.
template <typename T>
class SkipQueue {
 public:
  explicit SkipQueue(std::size_t depth) : depth_(depth) {}

  bool Push(T item, std::size_t extra_room = 0) {
    {
      std::lock_guard lock(mutex_);
      if (items_.size() >= depth_ + extra_room) return false;
      items_.push_back(std::move(item));
      if (extra_room == 0) deepest_ = std::max(deepest_, items_.size());
    }
    changed_.notify_one();
    return true;
  }

  // Waits for an item; nothing once the queue is closed and empty.
  std::optional<T> Pop() {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [&] { return !items_.empty() || closed_; });
    if (items_.empty()) return std::nullopt;
    T item = std::move(items_.front());
    items_.pop_front();
    return item;
  }

  void Close() {
    {
      std::lock_guard lock(mutex_);
      closed_ = true;
    }
    changed_.notify_all();
  }

  std::size_t size() const {
    std::lock_guard lock(mutex_);
    return items_.size();
  }
  std::size_t deepest() const {
    std::lock_guard lock(mutex_);
    return deepest_;
  }

 private:
  const std::size_t depth_;
  mutable std::mutex mutex_;
  std::condition_variable changed_;
  std::deque<T> items_;
  std::size_t deepest_ = 0;
  bool closed_ = false;
};

}  // namespace kettle
