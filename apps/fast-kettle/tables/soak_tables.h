// SPDX-License-Identifier: Apache-2.0
// What bench --soak prints.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/message/message.h"
#include "kettle/task/tasks.h"
#include "kettle/trial/drift.h"
#include "tables/result_place.h"

namespace kettle::app {

struct SoakResult {
  EncodeSettings settings;
  std::vector<SoakWindow> windows;
  double seconds = 0;
  double required_headroom = 0.2;
  bool simulated = false;
  std::vector<Message> warnings;

  Drift drift() const { return MeasureDrift(windows, settings.frame_rate, required_headroom); }
};

void to_json(nlohmann::json& json, const SoakResult& result);
void from_json(const nlohmann::json& json, SoakResult& result);

void PrintSoak(const SoakResult& result, const ResultPlace& place);

}  // namespace kettle::app
