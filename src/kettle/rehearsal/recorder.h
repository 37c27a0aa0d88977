// SPDX-License-Identifier: Apache-2.0
// Writes a recording while it is being encoded: a queue before the disk, and a thread that waits for it.
#pragma once

#include <condition_variable>
#include <cstdint>
#include <deque>
#include <filesystem>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "kettle/coded/muxer.h"

namespace kettle {

// "matroska", "fragmented-mp4", "mp4". Throws Error(kInput) with the known ones.
Muxer::Container ContainerOf(const std::string& name);
// ".mkv" or ".mp4".
std::string ExtensionOf(const std::string& container);

struct RecorderRequest {
  std::filesystem::path path;
  std::string container = "matroska";
  double most_waiting_seconds = 2;             // of packets before the disk: what comes then is stalled
  std::int64_t least_free_bytes = 16LL << 20;  // the recording ends in good order before the disk is fuller
};

struct RecorderState {
  double waiting_seconds = 0;
  std::int64_t written_bytes = 0;
  double longest_write_ms = 0;  // since the last question
  int stalled = 0;              // pictures
  std::string trouble;          // why it ended early
  bool disk_full = false;       // and that was it
};

class Recorder {
 public:
  // The first track holds the pictures. Throws Error(kMachine).
  Recorder(const RecorderRequest& request, const std::vector<const AVCodecContext*>& tracks);
  ~Recorder();

  // A packet that came out now; `number` of a picture. Never waits. Thread-safe, as is state().
  void Enqueue(int track, const AVPacket& packet, std::int64_t number);
  RecorderState state();

  // Writes what waits, and the index. Never throws: the trouble is in the state.
  void Finish();
  const std::vector<std::int64_t>& Stalled() const { return stalled_; }  // after Finish

 private:
  struct Waiting {
    int track;
    std::int64_t number;  // of a picture
    double seconds;       // when it came
    PacketPtr packet;
  };
  void Run();
  void WriteAll();
  void Refuse(int track, std::int64_t number);  // needs the lock
  void WriteAt(std::int64_t offset, std::string_view bytes);
  bool DiskIsFull();

  const RecorderRequest request_;
  int file_ = -1;
  std::mutex mutex_;
  std::condition_variable changed_;
  std::deque<Waiting> waiting_;
  std::vector<std::int64_t> stalled_;
  RecorderState state_;
  bool ending_ = false, needs_keyframe_ = false;
  std::int64_t unchecked_bytes_ = 0;
  std::unique_ptr<Muxer> muxer_;
  std::thread thread_;
};

}  // namespace kettle
