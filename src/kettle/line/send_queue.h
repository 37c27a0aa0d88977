// SPDX-License-Identifier: Apache-2.0
// The queue between an encoder and the line, and its rule for what is dropped when the line does not keep up.
#pragma once

#include <cstdint>
#include <deque>
#include <utility>

namespace kettle {

// One coded frame. `size_bytes` is what it takes on the line, wrapping included.
struct SentFrame {
  double seconds = 0;  // when the encoder gave it
  int size_bytes = 0;
  bool keyframe = false;
  bool video = true;
  std::int64_t number = 0;   // of the pictures, from 0 on
  double shown_seconds = 0;  // when it is seen or heard, by the stream's own clock
};

struct QueueRule {
  // When the oldest waiting frame has waited longer, all waiting pictures up to the newest keyframe are dropped; with
  // no keyframe among them all of them, and those that follow until one comes: none could be decoded. Sound takes
  // little of a line and is missed more: it is dropped only when it has waited twice as long.
  double most_delay_seconds = 1.5;
};

// Holds frames that have not begun to be sent, in the order in which they came. However long the line is away, a push
// costs the same and what is held stays within the rule. Knows no clock: it is told the time. The model and the sender
// share it. `drop(frame)` is called with each frame that is let go.
template <typename Frame>
class SendQueue {
 public:
  explicit SendQueue(QueueRule rule) : rule_(rule) {}

  // Adds a frame at the time it was given.
  template <typename Drop>
  void Push(Frame frame, Drop drop) {
    const double oldest = frame.seconds - rule_.most_delay_seconds, oldest_sound = oldest - rule_.most_delay_seconds;
    if (!pictures_.empty() && front().seconds < oldest) DropPictures(oldest, drop);
    for (; !sounds_.empty() && sounds_.front().frame.seconds < oldest_sound; sounds_.pop_front())
      drop(sounds_.front().frame);
    if (frame.video && frame.keyframe) {
      waits_for_keyframe_ = false;
      newest_keyframe_ = next_;
    }
    if (frame.video && waits_for_keyframe_) return drop(frame);
    auto& frames = frame.video ? pictures_ : sounds_;
    frames.push_back({next_++, std::move(frame)});
  }

  // For a connection that begins now: picture and sound begin together, at the first waiting keyframe. False if none
  // waits: nothing can be sent yet.
  template <typename Drop>
  bool BeginAtKeyframe(Drop drop) {
    for (; !pictures_.empty() && !pictures_.front().frame.keyframe; pictures_.pop_front())
      drop(pictures_.front().frame);
    if (pictures_.empty()) return false;
    // Sound of its time came out before it: pictures are looked ahead at.
    const double begins = pictures_.front().frame.shown_seconds;
    for (; !sounds_.empty() && sounds_.front().frame.shown_seconds < begins; sounds_.pop_front())
      drop(sounds_.front().frame);
    return true;
  }

  bool empty() const { return pictures_.empty() && sounds_.empty(); }
  const Frame& front() const { return Oldest().front().frame; }
  std::size_t size() const { return pictures_.size() + sounds_.size(); }
  Frame Pop() {
    auto& frames = const_cast<Held&>(Oldest());
    Frame frame = std::move(frames.front().frame);
    frames.pop_front();
    return frame;
  }

 private:
  struct Numbered {
    std::uint64_t place;  // in the order in which they came
    Frame frame;
  };
  using Held = std::deque<Numbered>;

  const Held& Oldest() const {
    if (pictures_.empty() || sounds_.empty()) return sounds_.empty() ? pictures_ : sounds_;
    return pictures_.front().place < sounds_.front().place ? pictures_ : sounds_;
  }

  template <typename Drop>
  void DropPictures(double oldest, Drop& drop) {
    const Numbered& first = pictures_.front();
    // Nothing older is to be dropped for a keyframe that comes first.
    if (newest_keyframe_ == first.place && first.frame.keyframe && first.frame.seconds >= oldest) return;
    waits_for_keyframe_ = newest_keyframe_ <= first.place;
    while (!pictures_.empty() && (waits_for_keyframe_ || pictures_.front().place < newest_keyframe_)) {
      drop(pictures_.front().frame);
      pictures_.pop_front();
    }
  }

  QueueRule rule_;
  Held pictures_, sounds_;
  std::uint64_t next_ = 0, newest_keyframe_ = 0;  // places
  bool waits_for_keyframe_ = false;
};

}  // namespace kettle
