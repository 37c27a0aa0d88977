// SPDX-License-Identifier: Apache-2.0
// The figures "rehearsal" (what used the processors second by second, the line, each kind of loss in a lane) and
// "game".
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/diagnosis/diagnosis.h"
#include "kettle/rehearsal/rehearsal.h"

namespace kettle {

struct RehearsalChart {
  static constexpr const char* kName = "rehearsal";
  std::string title, subtitle;
  double cpu_cores = 0, stream_kbps = 0;  // all that may be used; the plan's
  std::vector<RehearsalSecond> seconds;
};

// Nothing of a rehearsal that ended within two seconds.
std::optional<RehearsalChart> MakeRehearsalChart(const RehearsalOutcome& outcome, const DiagnosisFacts& facts,
                                                 bool simulated);

// Writes `folder`/rehearsal.svg and .png. Throws Error(kMachine).
void Draw(const std::filesystem::path& folder, const RehearsalChart& chart);

// Writes `folder`/game.svg and .png: the frames a second that the game made, without and with the encodes
// beside it. Nothing is drawn of fewer than two seconds. Throws Error(kMachine).
void Draw(const std::filesystem::path& folder, const GameFrames& game);

void to_json(nlohmann::json& json, const RehearsalChart& chart);
void from_json(const nlohmann::json& json, RehearsalChart& chart);

}  // namespace kettle
