// SPDX-License-Identifier: Apache-2.0
#include "surroundings/game_log.h"

#include <chrono>

#include "kettle/units/error.h"

namespace kettle::app {

namespace {

double WallSeconds(std::chrono::system_clock::time_point time) {
  return std::chrono::duration<double>(time.time_since_epoch()).count();
}

}  // namespace

GameLog::GameLog(const std::filesystem::path& file) : file_(file) {
  constexpr double kLeastSeconds = 5;
  const std::vector<GameFrame> frames = ReadGameFrames(file);
  if (frames.empty() || frames.back().seconds - frames.front().seconds < kLeastSeconds)
    FailInput("{}: holds less than {:g} s: start the log while you play, and rehearse then", file.string(),
              kLeastSeconds);
}

void GameLog::Begin() {
  begin_ = WallSeconds(std::chrono::system_clock::now());
  if (alone_until_ == 0) alone_until_ = begin_;
}
void GameLog::End() { end_ = WallSeconds(std::chrono::system_clock::now()); }

GameFrames GameLog::Frames() const {
  const std::vector<GameFrame> frames = ReadGameFrames(file_);
  const double changed = WallSeconds(std::chrono::time_point_cast<std::chrono::system_clock::duration>(
      std::chrono::file_clock::to_sys(std::filesystem::last_write_time(file_))));
  const GameFrame& last = frames.back();
  const double start = changed - (last.seconds + last.milliseconds / 1000);
  const GameFrames game = CountGameFrames(frames, 0, alone_until_ - start, begin_ - start, end_ - start);
  if (game.beside_fps == 0)
    FailInput("{}: no frame of the rehearsal's time is in it: was it still written to?", file_.string());
  return game;
}

}  // namespace kettle::app
