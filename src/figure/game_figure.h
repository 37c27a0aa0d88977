// SPDX-License-Identifier: Apache-2.0
// The figure "game": the game's own frame rate before, beside and after the encodes.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <vector>

namespace kettle {

// A game's own count of its frames, second by second.
struct GameFrames {
  static constexpr const char* kName = "game";
  double wanted_fps = 0, alone_fps = 0, beside_fps = 0;
  std::vector<int> seconds;                   // frames made in each, from its start
  double begin_seconds = 0, end_seconds = 0;  // the encodes ran between
};

// Writes `folder`/game.svg and .png: the frames a second that the simulated game made, without and with the encodes
// beside it. Nothing is drawn of fewer than two seconds. Throws Error(kMachine).
void Draw(const std::filesystem::path& folder, const GameFrames& game);

void to_json(nlohmann::json& json, const GameFrames& game);
void from_json(const nlohmann::json& json, GameFrames& game);

}  // namespace kettle
