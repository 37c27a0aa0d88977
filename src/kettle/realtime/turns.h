// SPDX-License-Identifier: Apache-2.0
// Who gets a processor first where there are too few for game, stream and recording.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>

#include "kettle/encoders/settings.h"

namespace kettle {

// Who goes before all others. A recording that computes always steps behind the stream, and behind the game.
enum class First { kGame, kStream };

const char* Name(First first);              // "game", "stream"
First ParseFirst(const std::string& text);  // throws Error(kInput) with the known ones

// Of an encode's threads, as setpriority(2), to be added to the program's own, which the game is taken to have. Below
// zero only where the user may (NameThread). Feeding a GPU computes next to nothing, but must not wait: a recording
// there is fed as early as the stream is.
int StreamNiceness(First first);
int RecordingNiceness(First first, const EncodeSettings& recording);

void to_json(nlohmann::json& json, First first);
void from_json(const nlohmann::json& json, First& first);

}  // namespace kettle
