// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/turns.h"

#include <nlohmann/json.hpp>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/error.h"

namespace kettle {

const char* Name(First first) { return first == First::kGame ? "game" : "stream"; }

First ParseFirst(const std::string& text) {
  for (const First first : {First::kGame, First::kStream})
    if (text == Name(first)) return first;
  FailInput("\"{}\" is not known; give \"game\" or \"stream\"", text);
}

int StreamNiceness(First first) { return first == First::kGame ? 3 : -3; }

int RecordingNiceness(First first, const EncodeSettings& recording) {
  constexpr int kBehindBoth = 10;
  return FindFamily(recording.encoder).device == DeviceKind::kGpu ? StreamNiceness(first) : kBehindBoth;
}

void to_json(nlohmann::json& json, First first) { json = Name(first); }
void from_json(const nlohmann::json& json, First& first) { first = ParseFirst(json.get<std::string>()); }

}  // namespace kettle
