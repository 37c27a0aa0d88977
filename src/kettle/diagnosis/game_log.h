// SPDX-License-Identifier: Apache-2.0
// A real game's own log of its frame times, written while it plays: before a rehearsal and during it.
#pragma once

#include <filesystem>

#include "kettle/diagnosis/game_frames.h"

namespace kettle {

class GameLog {
 public:
  // As ReadGameFrames wants it, 5 s of it or more. Throws Error(kInput).
  explicit GameLog(const std::filesystem::path& file);
  // What is to be measured begins, ends: moments on the log's own clock, which no step of the system's moves. Begin
  // throws Error(kInput) if the log is none any more; what End finds is told by Frames.
  void Begin();
  void End();
  // Its frames before the first Begin, and in the last stretch between Begin and End. Throws Error(kInput) if the log
  // holds none of either time, or the game has started it anew meanwhile.
  GameFrames Frames() const;

 private:
  // The log's time now, in seconds after its first frame.
  double Now();

  std::filesystem::path file_;
  std::size_t seen_ = 0;  // frames
  double first_ms_ = 0;   // how long its first frame took: another log has another
  bool anew_ = false;
  double alone_until_ = 0, begin_ = 0, end_ = 0;
};

}  // namespace kettle
