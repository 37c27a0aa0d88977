// SPDX-License-Identifier: Apache-2.0
#include "kettle/diagnosis/game_log.h"

#include <chrono>
#include <vector>

#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr double kLeastSeconds = 5;
// A game writes its log now and then. Since it last did, so much may have passed; more is a clock that is not ours.
constexpr double kMostLagSeconds = 5;

double EndOf(const std::vector<GameFrame>& frames) {
  return frames.empty() ? 0 : frames.back().seconds + frames.back().milliseconds / 1000;
}

double SecondsSinceWritten(const std::filesystem::path& file) {
  std::error_code error;
  const auto written = std::filesystem::last_write_time(file, error);
  return error ? 0 : std::chrono::duration<double>(std::filesystem::file_time_type::clock::now() - written).count();
}

}  // namespace

GameLog::GameLog(const std::filesystem::path& file) : file_(file) {
  const std::vector<GameFrame> frames = ReadGameFrames(file);
  if (EndOf(frames) < kLeastSeconds)
    FailInput("{}: holds less than {:g} s: start the log while you play, and rehearse then", file.string(),
              kLeastSeconds);
  seen_ = frames.size();
  first_ms_ = frames.front().milliseconds;
}

double GameLog::Now() {
  const std::vector<GameFrame> frames = ReadGameFrames(file_);
  anew_ = anew_ || frames.empty() || frames.size() < seen_ || frames.front().milliseconds != first_ms_;
  seen_ = frames.size();
  const double lag = SecondsSinceWritten(file_);
  return EndOf(frames) + (lag > 0 && lag < kMostLagSeconds ? lag : 0);
}

void GameLog::Begin() {
  begin_ = Now();
  if (alone_until_ == 0) alone_until_ = begin_;
}

void GameLog::End() {
  try {
    end_ = Now();
  } catch (const Error&) {  // started anew, and nothing in it yet
    anew_ = true;
  }
}

GameFrames GameLog::Frames() const {
  const std::vector<GameFrame> frames = ReadGameFrames(file_);
  if (anew_ || frames.size() < seen_)
    FailInput("{}: the game started it anew during the rehearsal, so there is nothing to compare with", file_.string());
  const GameFrames game = CountGameFrames(frames, 0, alone_until_, begin_, end_);
  if (game.beside_fps == 0)
    FailInput("{}: no frame of the rehearsal's time is in it: was it still written to?", file_.string());
  if (game.alone_fps == 0) FailInput("{}: no frame from before the rehearsal is in it", file_.string());
  return game;
}

}  // namespace kettle
