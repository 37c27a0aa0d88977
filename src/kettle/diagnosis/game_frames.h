// SPDX-License-Identifier: Apache-2.0
// What the encodes take from the game: its frames a second and its slow frames, without them and beside them.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <vector>

namespace kettle {

// One frame of a game.
struct GameFrame {
  double seconds = 0;       // when it began, from the log's first frame
  double milliseconds = 0;  // until the next began
};

// Reads a log of frame times: CSV whose first line begins with "seconds,milliseconds"; further columns are ignored. A
// last line that is not whole yet does not count. Throws Error(kInput) with one line.
std::vector<GameFrame> ReadGameFrames(const std::filesystem::path& file);

struct GameFrames {
  static constexpr const char* kName = "game";
  double wanted_fps = 0;  // that the game is capped at; 0: not known
  // Frames a second, and the 1 % low of it: 1000 ms by the time that one frame in a hundred exceeds.
  double alone_fps = 0, beside_fps = 0, alone_low_fps = 0, beside_low_fps = 0;
  std::vector<int> seconds;                   // frames made in each whole one, from the log's start
  double begin_seconds = 0, end_seconds = 0;  // the encodes ran between
  bool simulated = false;

  // Of the frames that the game made without the encodes, 0 to 1.
  double lost_share() const { return alone_fps > 0 && beside_fps < alone_fps ? 1 - beside_fps / alone_fps : 0; }
};

// Alone it was until `alone_until_seconds`, beside the encodes from `begin_seconds` to `end_seconds`. The log's first
// second, in which a game starts up, the second around the encodes' start and that around their end count for neither.
GameFrames CountGameFrames(const std::vector<GameFrame>& frames, double wanted_fps, double alone_until_seconds,
                           double begin_seconds, double end_seconds);

void to_json(nlohmann::json& json, const GameFrames& game);
void from_json(const nlohmann::json& json, GameFrames& game);

}  // namespace kettle
