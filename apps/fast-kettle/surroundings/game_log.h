// SPDX-License-Identifier: Apache-2.0
// A real game's own log of its frame times, written while it plays: before a rehearsal and during it.
#pragma once

#include <filesystem>

#include "kettle/diagnosis/game_frames.h"

namespace kettle::app {

class GameLog {
 public:
  // As ReadGameFrames wants it, 5 s of it or more. Throws Error(kInput).
  explicit GameLog(const std::filesystem::path& file);
  // What is to be measured begins, ends.
  void Begin();
  void End();
  // Its frames before the first Begin, and in the last stretch between Begin and End. The log's last frame counts as
  // made when the file last changed. Throws Error(kInput) if the log holds none of that time, or is none any more.
  GameFrames Frames() const;

 private:
  std::filesystem::path file_;
  double alone_until_ = 0, begin_ = 0, end_ = 0;  // seconds since 1970
};

}  // namespace kettle::app
