// SPDX-License-Identifier: Apache-2.0
// The queue between an encoder and the line, and its rule for what is dropped when the line does not keep up.
#pragma once

#include <cstdint>
#include <deque>
#include <utility>
#include <vector>

namespace kettle {

// One coded frame. `size_bytes` is what it takes on the line, wrapping included.
struct SentFrame {
  double seconds = 0;  // when the encoder gave it
  int size_bytes = 0;
  bool keyframe = false;
  bool video = true;
  std::int64_t number = 0;  // of the pictures, from 0 on
};

struct QueueRule {
  // When the oldest waiting frame has waited longer, all waiting pictures up to the newest keyframe are dropped; with
  // no keyframe among them all of them, and those that follow until one comes: none could be decoded. Sound is kept.
  double most_delay_seconds = 1.5;
};

// Holds frames that have not begun to be sent. Knows no clock: it is told the time. The model and the sender share it.
template <typename Frame>
class SendQueue {
 public:
  explicit SendQueue(QueueRule rule) : rule_(rule) {}

  // Adds a frame at the time it was given. Returns the pictures dropped now, this one included.
  int Push(Frame frame) {
    int dropped = 0;
    if (!frames_.empty() && frame.seconds - frames_.front().seconds > rule_.most_delay_seconds)
      dropped += DropWaiting();
    if (frame.video && frame.keyframe) waits_for_keyframe_ = false;
    if (frame.video && waits_for_keyframe_) return dropped + 1;
    frames_.push_back(std::move(frame));
    return dropped;
  }
  bool empty() const { return frames_.empty(); }
  const Frame& front() const { return frames_.front(); }
  std::size_t size() const { return frames_.size(); }
  Frame Pop() {
    Frame frame = std::move(frames_.front());
    frames_.pop_front();
    return frame;
  }

 private:
  int DropWaiting() {
    std::size_t newest_keyframe = frames_.size();
    // The oldest one may itself be a keyframe: nothing older is to be dropped for it.
    for (std::size_t i = 1; i < frames_.size(); ++i)
      if (frames_[i].video && frames_[i].keyframe) newest_keyframe = i;
    waits_for_keyframe_ = newest_keyframe == frames_.size();
    int dropped = 0;
    std::deque<Frame> kept;
    for (std::size_t i = 0; i < frames_.size(); ++i)
      if (frames_[i].video && i < newest_keyframe)
        ++dropped;
      else
        kept.push_back(std::move(frames_[i]));
    frames_ = std::move(kept);
    return dropped;
  }

  QueueRule rule_;
  std::deque<Frame> frames_;
  bool waits_for_keyframe_ = false;
};

}  // namespace kettle
