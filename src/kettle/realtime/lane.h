// SPDX-License-Identifier: Apache-2.0
// One encode of a run in real time: its queue, and the thread that scales, encodes and hands packets on.
#pragma once

#include <atomic>
#include <exception>
#include <functional>
#include <future>
#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "kettle/footage/y4m.h"
#include "kettle/media/encoder.h"
#include "kettle/realtime/pace_task.h"
#include "kettle/realtime/pacing.h"
#include "kettle/realtime/packet_log.h"
#include "kettle/realtime/thread.h"

namespace kettle {

// What becomes of an encode's packets. All are called in the lane's thread; one that throws ends the lane.
struct PacketSink {
  std::function<void(const AVCodecContext&)> open;  // once, before the first packet
  std::function<void(const AVPacket&)> take;
  std::function<void()> end;  // after the last packet
  // Each frame of the output twice: when it is due, still as skipped, and when the encoder has taken it. From the
  // thread that offers and from the lane's. Set: the outcome then holds no times of single frames.
  std::function<void(const PacedFrame&)> frame = {};
};

struct LaneRequest {
  EncodeSettings settings;
  FrameRate source_rate;
  int queue_depth = 6;
  std::string thread_name;  // of its thread and those of its encoder, 15 characters at most; empty: the program's
  int niceness = 0;         // NameThread, for the same threads
  std::vector<int> processors = {};  // KeepThreadOn, for the same threads
};

class Lane {
 public:
  // The encoder is opened in the lane's thread, whose name and niceness its own threads inherit. The clock must outlive
  // the lane.
  Lane(LaneRequest request, const Clock& clock, PacketSink sink);
  ~Lane();

  void WaitUntilOpen();               // throws what opening threw
  void Start(std::int64_t start_ns);  // from which times count
  // Offers source frame `index`; takes it if it is due in this output's rate and there is room.
  void Offer(std::int64_t index, std::int64_t due_ns, const AVFrame& picture);

  // At any time.
  bool failed() const { return failed_; }
  int frames() const { return frames_; }
  int skipped() const { return skipped_; }
  std::size_t waiting() const { return queue_.size(); }

  // Ends the encode. What ended it early is told in the outcome, and thrown by RethrowFailure.
  PacedOutputOutcome Finish();
  void RethrowFailure() const;

 private:
  struct Item {
    std::int64_t number, due_ns;
    FramePtr picture;
  };
  void Note(const PacedFrame& frame);
  void TellFailure();
  void Run();
  void Encode(Encoder& encoder);
  void Drain(Encoder& encoder);

  const LaneRequest request_;
  const Clock& clock_;
  const PacketSink sink_;
  const FrameSelector selector_;
  SkipQueue<Item> queue_;
  PacketLog log_;
  PacedOutputOutcome outcome_;
  std::mutex frames_mutex_;
  std::map<int, PacedFrame> frame_times_;  // without PacketSink::frame
  std::int64_t start_ns_ = 0;
  std::promise<void> opened_;
  std::unique_ptr<Encoder> encoder_;  // as long as the lane: who takes its packets may look at its header later
  std::exception_ptr error_;
  std::int64_t failed_ns_ = 0;
  std::atomic<bool> failed_ = false;
  std::atomic<int> frames_ = 0, skipped_ = 0;
  std::thread thread_;
};

// Footage files as one endless source.
class EndlessSource {
 public:
  explicit EndlessSource(const std::vector<std::string>& files);  // throws Error(kInput)
  FramePtr Frame(std::int64_t index) const;
  std::int64_t frames() const { return frames_; }  // until it begins anew

 private:
  std::vector<Y4mFile> files_;
  std::int64_t frames_ = 0;
};

// From Lane's constructor to its first frame: for all threads to be waiting when it starts.
inline constexpr std::int64_t kStartDelayNs = 200'000'000;

}  // namespace kettle
