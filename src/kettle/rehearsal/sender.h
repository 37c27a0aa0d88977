// SPDX-License-Identifier: Apache-2.0
// Sends a stream to an ingest while it is being encoded: a queue, a thread, and a new connection when the ingest is
// lost.
#pragma once

#include <algorithm>
#include <condition_variable>
#include <cstdint>
#include <deque>
#include <limits>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <thread>
#include <vector>

#include "kettle/line/send_queue.h"
#include "kettle/publish/ingest_connection.h"
#include "kettle/rehearsal/flv_packer.h"
#include "kettle/units/clock.h"

namespace kettle {

struct SenderRequest {
  IngestUrl url;
  StreamKey key;
  QueueRule rule;
  int held_bytes = 64 << 10;  // that the kernel may hold: the rest waits where it can be dropped
  double patience_seconds = 5, retry_seconds = 1;
  // A connection over which nothing arrives for so long, while something waits, is lost: no line comes back to it. As
  // long as libsrt waits for its other side.
  double dead_seconds = 10;
};

struct SenderState {
  bool connected = true;
  int losses = 0;                       // of the connection
  double blocked_seconds = 0;           // in which the connection took nothing more, over all connections
  std::int64_t acknowledged_bytes = 0;  // over all connections
  double round_trip_ms = 0;
  int dropped = 0;         // pictures
  int dropped_sounds = 0;  // packets
  std::string trouble;     // of the last loss
};

class Sender {
 public:
  // Connects. Throws Error(kInput) with one line if that fails; later losses are made good.
  Sender(const SenderRequest& request, const Clock& clock);
  ~Sender();

  bool simulated() const;  // the ingest says that it is a stand-in; it may say so late

  // What goes before the first picture of each connection; over SRT nothing does. To be set before the first Give.
  void SetOpening(std::vector<RtmpMessage> messages);
  // Never waits, and costs the same however long the ingest is away. Thread-safe, as is state().
  void Enqueue(FlvPacker::Packed packed);
  SenderState state() const;
  // How long a message has waited at most, in seconds, since this was asked last.
  double TakeLongestWait();

  // Sends what still waits, for so long at most, and ends the publish. A connection that is lost by then counts as
  // such.
  void Finish(double patience_seconds);
  // After Finish, in order: which pictures of those given never were sent, or were lost with a connection.
  std::vector<std::int64_t> Dropped() const;

 private:
  struct Outgoing : SentFrame {
    RtmpMessage message;
  };
  double now() const { return static_cast<double>(clock_.now_ns()) * 1e-9; }
  void Run();
  void Connect();
  // Needs the lock. Sends what the connection takes; false if it takes nothing now.
  bool Write();
  void LoseConnection(const std::string& why);
  // Needs the lock. A picture, or sound, that will not arrive.
  void Drop(const SentFrame& frame);
  // Needs the lock. Throws Error(kInput) if nothing has arrived for too long.
  void CheckAlive();
  // Until the connection takes something again, or for a moment.
  void WaitForTheLine();
  // Needs the lock. Of the oldest message in the queue, in seconds.
  double Waiting() const { return queue_.empty() ? 0 : std::max(0.0, now() - queue_.front().seconds); }
  // Needs the lock. The last byte of what was being written has been given.
  void NoteGiven();
  // Needs the lock. Forgets the pictures of which the ingest has acknowledged the last byte: they are there.
  void Settle();
  // Needs the lock. There is something to send, and a connection may begin with it.
  bool Ready() const { return !writing_.empty() || (!queue_.empty() && !needs_keyframe_); }

  const SenderRequest request_;
  const Clock& clock_;
  mutable std::mutex mutex_;
  std::condition_variable changed_;
  std::unique_ptr<IngestConnection> publisher_;
  std::vector<RtmpMessage> opening_;
  SendQueue<Outgoing> queue_;
  std::string writing_;
  bool opened_ = false, needs_keyframe_ = false, ending_ = false, simulated_ = false;
  std::int64_t earlier_bytes_ = 0;  // acknowledged on connections that are lost
  SenderState state_;
  double longest_wait_seconds_ = 0;
  std::vector<std::int64_t> dropped_;  // pictures
  static constexpr std::int64_t kNotYet = std::numeric_limits<std::int64_t>::max();
  struct OnItsWay {
    std::int64_t number;
    std::int64_t end_byte = kNotYet;  // of those given to the connection
  };
  std::deque<OnItsWay> on_its_way_;
  std::int64_t not_ours_bytes_ = 0;  // that the connection counts as acknowledged beyond what was given
  double give_up_seconds_ = 0;       // when Finish stops waiting
  std::int64_t alive_bytes_ = 0;     // acknowledged when something last was
  double alive_seconds_ = 0;         // when that was
  std::thread thread_;
};

}  // namespace kettle
