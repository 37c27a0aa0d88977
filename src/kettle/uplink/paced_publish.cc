// SPDX-License-Identifier: Apache-2.0
#include "kettle/uplink/paced_publish.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <deque>
#include <thread>

#include "kettle/rtmp/publisher.h"
#include "kettle/units/error.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

using Clock = std::chrono::steady_clock;

struct Outgoing : SentFrame {
  std::string bytes;
};

class Publishing {
 public:
  Publishing(const PacedPublish& request, const TestStream& stream)
      : request_(request),
        stream_(stream),
        publisher_(request.url, request.key, request.patience_seconds),
        queue_(request.rule) {
    if (request.url.secure()) FailInput("{}: in real time over rtmp:// only", request.url.str());
    publisher_.LimitHeld(request.held_bytes);
    writing_ = publisher_.Wrap(stream.Metadata()) + publisher_.Wrap(stream.Header());
    while (!writing_.empty()) {
      writing_.erase(0, publisher_.Send(writing_));
      publisher_.WaitToSend(0.1);
    }
    // Until all of the greeting is acknowledged: what is counted begins here.
    std::this_thread::sleep_for(std::chrono::milliseconds(500));
    greeting_bytes_ = publisher_.state().acknowledged_bytes;
  }

  PacedPublishOutcome Run(const std::function<void(double)>& progress) {
    start_ = Clock::now();
    double told = 0;
    // After the last picture: as long as it may take to arrive.
    while (now() < request_.seconds || (Pending() && now() < request_.seconds + request_.patience_seconds)) {
      while (now() < request_.seconds && stream_.SecondsOf(next_) <= now()) SendNext();
      Write();
      Watch();
      if (now() - told > 0.25) progress(std::min(1.0, (told = now()) / request_.seconds));
      const double until = std::clamp(stream_.SecondsOf(next_) - now(), 0.0005, 0.003);
      if (writing_.empty() && queue_.empty())
        std::this_thread::sleep_for(std::chrono::duration<double>(until));
      else
        publisher_.WaitToSend(until);
    }
    outcome_.sending.stretches += last_arrived_ + 1 < outcome_.sending.frames;
    outcome_.pipe_bytes = Mean(pipe_).value_or(0);
    outcome_.round_trip_ms = publisher_.state().least_round_trip_ms;
    publisher_.Finish(1);
    return outcome_;
  }

 private:
  struct OnItsWay {
    std::int64_t end, number;  // bytes of all that was written, with this one
    double seconds;
  };

  double now() const { return std::chrono::duration<double>(Clock::now() - start_).count(); }
  bool Pending() const { return !writing_.empty() || !queue_.empty() || !on_its_way_.empty(); }

  void SendNext() {
    Outgoing frame;
    frame.seconds = stream_.SecondsOf(next_);
    frame.keyframe = stream_.IsKeyframe(next_);
    frame.number = next_;
    frame.bytes = publisher_.Wrap(stream_.Picture(next_, 0));
    frame.size_bytes = static_cast<int>(frame.bytes.size());
    ++next_;
    ++outcome_.sending.frames;
    queue_.Push(std::move(frame), [this](const Outgoing& gone) { outcome_.sending.dropped += gone.video; });
  }

  void Write() {
    while (!writing_.empty() || !queue_.empty()) {
      // A frame leaves the queue with its first byte, not before: until then it can be dropped.
      const bool begins = writing_.empty();
      const std::size_t taken = publisher_.Send(begins ? queue_.front().bytes : writing_);
      if (taken == 0) return;
      if (begins) {
        Outgoing frame = queue_.Pop();
        writing_ = std::move(frame.bytes);
        written_ += static_cast<std::int64_t>(writing_.size());
        on_its_way_.push_back({written_, frame.number, frame.seconds});
      }
      writing_.erase(0, taken);
    }
  }

  void Watch() {
    const std::int64_t arrived = publisher_.state().acknowledged_bytes - greeting_bytes_;
    while (!on_its_way_.empty() && on_its_way_.front().end <= arrived) {
      const OnItsWay& picture = on_its_way_.front();
      SendingOutcome& sending = outcome_.sending;
      sending.peak_delay_seconds = std::max(sending.peak_delay_seconds, now() - picture.seconds);
      sending.stretches += picture.number > last_arrived_ + 1;
      last_arrived_ = picture.number;
      on_its_way_.pop_front();
    }
    if (!queue_.empty())
      pipe_.push_back(static_cast<double>(written_ - static_cast<std::int64_t>(writing_.size()) - arrived));
  }

  const PacedPublish& request_;
  const TestStream& stream_;
  RtmpPublisher publisher_;
  SendQueue<Outgoing> queue_;
  PacedPublishOutcome outcome_;
  Clock::time_point start_;
  std::string writing_;
  std::int64_t next_ = 0, written_ = 0, greeting_bytes_ = 0, last_arrived_ = -1;
  std::deque<OnItsWay> on_its_way_;
  std::vector<double> pipe_;
};

}  // namespace

PacedPublishOutcome PublishPaced(const PacedPublish& request, const TestStream& stream,
                                 const std::function<void(double)>& progress) {
  return Publishing(request, stream).Run(progress);
}

}  // namespace kettle
