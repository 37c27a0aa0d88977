// SPDX-License-Identifier: Apache-2.0
// What a clip is, and what is done to its pictures before they are test footage.
#pragma once

#include <filesystem>
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/footage/content.h"
#include "kettle/media/reader.h"
#include "kettle/message/message.h"

namespace kettle {

struct ClipReport {
  std::string file;  // its name without folders
  StreamFacts facts;
  FrameSize size;  // as coded; may be odd
  FrameRate rate;
  int frames = 0;
  double seconds = 0;
  bool variable_rate = false;
  Content content;  // of the pictures as they will be used
  std::vector<Message> notes;
};

// Decodes the whole clip. `progress` is called with 0..1. Throws Error(kInput) as MediaReader does.
ClipReport InspectWholeClip(const std::filesystem::path& path, const std::function<void(double)>& progress);

// Times between neighbouring pictures differ by more than a container's rounding. In any order.
bool HasVariableRate(std::vector<MediaReader::PacketTime> packets);

// What is done to pictures like these.
std::vector<Message> PictureNotes(const StreamFacts& facts, FrameSize size, bool variable_rate);

void to_json(nlohmann::json& json, const ClipReport& report);
void to_json(nlohmann::json& json, const Content& content);

}  // namespace kettle
