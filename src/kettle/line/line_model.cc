// SPDX-License-Identifier: Apache-2.0
#include "kettle/line/line_model.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <limits>

#include "kettle/line/line_server.h"

namespace kettle {

namespace {

class Sending {
 public:
  Sending(const LineTrace& line, const SendingModel& model, bool delays)
      : model_(model),
        server_(line.points(), model.line_share * model.payload_share),
        queue_(model.rule),
        end_(line.seconds()),
        delays_(delays) {
    if (delays_) outcome_.delay_by_second.assign(static_cast<std::size_t>(std::ceil(end_)), 0.0);
  }

  void Enqueue(const SentFrame& frame) {
    SendUntil(frame.seconds);
    queue_.Push(frame, [this](const SentFrame& gone) { outcome_.dropped += gone.video; });
    outcome_.frames += frame.video;
  }

  SendingOutcome Finish() {
    SendUntil(std::numeric_limits<double>::infinity());
    outcome_.stretches += last_number_ + 1 < outcome_.frames;
    if (last_shown_ >= 0 && end_ > last_shown_)
      outcome_.longest_freeze_seconds = std::max(outcome_.longest_freeze_seconds, end_ - last_shown_);
    return std::move(outcome_);
  }

 private:
  // What is on its way: but for `at_once`, the line carries its bytes from `start` to `finish`.
  struct Sent {
    double first_byte, bytes, at_once, start, finish;
  };

  // When the line has carried `bytes` of all that was taken.
  double Carried(double bytes) {
    while (!pipe_.empty() && pipe_.front().first_byte + pipe_.front().bytes <= bytes) pipe_.pop_front();
    if (pipe_.empty()) return free_;
    const Sent& first = pipe_.front();
    return server_.Finish(first.start, std::max(0.0, bytes - first.first_byte - first.at_once));
  }

  // How much of `bytes`, taken at `start`, goes through at once. The bucket fills while the line rests.
  double AtOnce(double start, double bytes) {
    if (model_.burst_bytes <= 0) return 0;
    const double fill_seconds = server_.Finish(start, model_.burst_bytes) - start;
    bucket_ = std::min(model_.burst_bytes, bucket_ + (start - free_) / fill_seconds * model_.burst_bytes);
    const double at_once = std::min(bucket_, bytes);
    bucket_ -= at_once;
    return at_once;
  }

  void SendUntil(double now) {
    while (!queue_.empty()) {
      const SentFrame& next = queue_.front();
      const double room = taken_ < model_.pipe_bytes ? 0 : Carried(taken_ - model_.pipe_bytes);
      // Without a pipe a frame is taken when the line is free for it.
      const double taken = std::max(next.seconds, model_.pipe_bytes > 0 ? room : free_);
      if (taken > now) return;
      const SentFrame frame = queue_.Pop();
      const double start = std::max(taken, free_), at_once = AtOnce(start, frame.size_bytes);
      const double finish = server_.Finish(start, frame.size_bytes - at_once);
      pipe_.push_back({taken_, static_cast<double>(frame.size_bytes), at_once, start, finish});
      taken_ += frame.size_bytes;
      free_ = finish;
      if (frame.video) Arrive(frame, finish);
    }
  }

  void Arrive(const SentFrame& frame, double finish) {
    const double delay = std::min(finish, end_ + 60) - frame.seconds + model_.extra_delay_seconds;
    outcome_.peak_delay_seconds = std::max(outcome_.peak_delay_seconds, delay);
    if (last_shown_ >= 0)
      outcome_.longest_freeze_seconds = std::max(outcome_.longest_freeze_seconds, frame.seconds - last_shown_);
    last_shown_ = frame.seconds;
    outcome_.stretches += frame.number > last_number_ + 1;
    last_number_ = frame.number;
    if (!delays_) return;
    double& longest = outcome_.delay_by_second[static_cast<std::size_t>(frame.seconds)];
    longest = std::max(longest, delay);
  }

  const SendingModel& model_;
  LineServer server_;
  SendQueue<SentFrame> queue_;
  double end_;
  bool delays_;
  SendingOutcome outcome_;
  std::deque<Sent> pipe_;
  double taken_ = 0;  // bytes, of all frames so far
  double free_ = 0;   // when the line has carried all that was taken
  double bucket_ = 0;
  double last_shown_ = -1;
  std::int64_t last_number_ = -1;
};

}  // namespace

SendingOutcome SimulateSending(const CodedStream& stream, const LineTrace& line, const SendingModel& model,
                               bool delays) {
  constexpr double kSoundSeconds = 1024.0 / 48000;
  Sending sending(line, model, delays);
  const int sound_bytes = static_cast<int>(model.audio_kbps * 1000 / 8 * kSoundSeconds) + model.bytes_a_frame;
  std::int64_t sound = 0, picture = 0;
  for (double start = 0; start < line.seconds(); start += stream.seconds)
    for (const CodedStream::Frame& frame : stream.frames) {
      const double at = start + frame.seconds;
      if (at >= line.seconds()) return sending.Finish();
      if (model.audio_kbps > 0)
        for (double heard; (heard = static_cast<double>(sound) * kSoundSeconds) <= at; ++sound)
          sending.Enqueue({heard, sound_bytes, false, false});
      sending.Enqueue({at, static_cast<int>(frame.size_bytes * model.scale) + model.bytes_a_frame, frame.keyframe, true,
                       picture++});
    }
  return sending.Finish();
}

}  // namespace kettle
