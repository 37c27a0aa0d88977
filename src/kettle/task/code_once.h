// SPDX-License-Identifier: Apache-2.0
// A simulated GPU codes on the processors that a run in real time measures, which a real one never touches. So what the
// run will ask of it is asked once before the clock starts: the device keeps it, and then only gives it again.
#pragma once

#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/encoders/settings.h"

namespace kettle {

// What a run will play, and code with which settings.
struct CodeOnceTask {
  std::vector<EncodeSettings> encodes;
  std::vector<std::string> footage;  // Y4M files of one size and rate, played in turn
  FrameRate source_rate;
  double seconds = 0;
};

// Each encode as fast as it goes, until pictures and keyframes come round again, or for the whole
// run.
void RunCodeOnceTask(const CodeOnceTask& task, const std::function<void(double)>& progress);

void to_json(nlohmann::json& json, const CodeOnceTask& task);
void from_json(const nlohmann::json& json, CodeOnceTask& task);

}  // namespace kettle
