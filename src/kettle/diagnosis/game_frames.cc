// SPDX-License-Identifier: Apache-2.0
#include "kettle/diagnosis/game_frames.h"

#include <algorithm>
#include <cstdio>
#include <sstream>
#include <string>

#include "kettle/input/input.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

struct GamePace {
  double fps = 0, low_fps = 0;
};

GamePace PaceBetween(const std::vector<GameFrame>& frames, double from, double to) {
  std::vector<double> times;
  double all_ms = 0;
  for (const GameFrame& frame : frames) {
    if (frame.seconds < from || frame.seconds >= to) continue;
    times.push_back(frame.milliseconds);
    all_ms += frame.milliseconds;
  }
  if (times.empty() || all_ms <= 0) return {};
  return {static_cast<double>(times.size()) * 1000 / all_ms, 1000 / std::max(1e-3, *Quantile(times, 0.99))};
}

}  // namespace

std::vector<GameFrame> ReadGameFrames(const std::filesystem::path& file) {
  constexpr std::int64_t kMostBytes = 1LL << 30;  // of an evening's frames
  std::istringstream stream(ReadInput(file, kMostBytes));
  std::string line;
  std::getline(stream, line);
  if (!line.starts_with("seconds,milliseconds"))
    FailInput("{}:1: a log of frame times begins with the line seconds,milliseconds", file.string());
  constexpr double kLongest = 1e6;  // seconds: no log is longer
  double start = 0;                 // a log may count from 1970
  std::vector<GameFrame> frames;
  for (int number = 2; std::getline(stream, line); ++number) {
    if (stream.eof()) break;  // it has no end yet
    GameFrame frame;
    const bool read = std::sscanf(line.c_str(), "%lf,%lf", &frame.seconds, &frame.milliseconds) == 2;
    if (read && frames.empty()) start = frame.seconds;
    frame.seconds -= start;
    // Written so that what is no number at all fails too.
    const bool right = read && frame.milliseconds > 0 && frame.milliseconds < kLongest * 1000 &&
                       frame.seconds >= (frames.empty() ? 0 : frames.back().seconds) && frame.seconds < kLongest;
    if (!right)
      FailInput("{}:{}: each line holds when a frame began, in seconds and in order, and how long it took in ms",
                file.string(), number);
    frames.push_back(frame);
  }
  return frames;
}

GameFrames CountGameFrames(const std::vector<GameFrame>& frames, double wanted_fps, double alone_until_seconds,
                           double begin_seconds, double end_seconds) {
  constexpr double kStartUp = 1, kAround = 0.5;
  GameFrames game;
  game.wanted_fps = wanted_fps;
  game.begin_seconds = begin_seconds;
  game.end_seconds = end_seconds;
  if (frames.empty()) return game;
  constexpr double kRounding = 1e-6;
  const double end = frames.back().seconds + frames.back().milliseconds / 1000;
  game.seconds.resize(static_cast<std::size_t>(end + kRounding));  // the last, if it is cut, would look like a loss
  for (const GameFrame& frame : frames)
    if (const auto second = static_cast<std::size_t>(frame.seconds); second < game.seconds.size())
      ++game.seconds[second];
  const GamePace alone = PaceBetween(frames, frames.front().seconds + kStartUp, alone_until_seconds - kAround),
                 beside = PaceBetween(frames, begin_seconds + kAround, end_seconds - kAround);
  game.alone_fps = alone.fps;
  game.alone_low_fps = alone.low_fps;
  game.beside_fps = beside.fps;
  game.beside_low_fps = beside.low_fps;
  return game;
}

KETTLE_JSON(GameFrames, wanted_fps, alone_fps, beside_fps, alone_low_fps, beside_low_fps, seconds, begin_seconds,
            end_seconds, simulated)

}  // namespace kettle
