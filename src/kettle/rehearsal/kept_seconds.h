// SPDX-License-Identifier: Apache-2.0
// The last seconds of a show, coded and in memory: they are written to a file only when something good has happened.
#pragma once

#include <cstdint>
#include <deque>
#include <filesystem>
#include <mutex>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <thread>
#include <vector>

#include "kettle/media/libav.h"

namespace kettle {

// What was saved of them.
struct SavedSeconds {
  std::string path;    // empty: nothing was
  double seconds = 0;  // of pictures
  std::int64_t bytes = 0;
  std::string trouble;  // why it is not whole
};

class KeptSeconds {
 public:
  explicit KeptSeconds(double seconds) : seconds_(seconds) {}
  ~KeptSeconds();

  // Pictures first, then sound. They must live until the last Save has been waited for.
  void Open(std::vector<const AVCodecContext*> tracks);
  // Keeps a packet of a track, whose timestamps are in its encoder's time base, and lets go of whole groups of pictures
  // that are not needed any more: what is left begins with a keyframe and is at least as long as was asked, once there
  // was so much. Copies nothing and never waits for long. Thread-safe.
  void Add(int track, const AVPacket& packet);

  // Writes what is kept into a file that begins at zero, in a thread of its own: whoever adds does not wait.
  void Save(const std::filesystem::path& path, const std::string& container);
  // Waits for that.
  SavedSeconds WaitForSaved();

  std::int64_t bytes() const;       // now
  std::int64_t most_bytes() const;  // so far

 private:
  struct Kept {
    int track;
    double seconds;  // when it is shown
    bool keyframe;   // a picture that others may begin with
    PacketPtr packet;
  };
  void LetGo();  // needs the lock
  void Write(const std::vector<Kept>& kept, const std::filesystem::path& path, const std::string& container);

  const double seconds_;
  mutable std::mutex mutex_;
  std::vector<const AVCodecContext*> tracks_;
  std::deque<Kept> kept_;
  std::int64_t bytes_ = 0, most_bytes_ = 0;
  double newest_seconds_ = 0;  // of the pictures
  std::thread writer_;
  SavedSeconds saved_;
};

void to_json(nlohmann::json& json, const SavedSeconds& saved);
void from_json(const nlohmann::json& json, SavedSeconds& saved);

}  // namespace kettle
