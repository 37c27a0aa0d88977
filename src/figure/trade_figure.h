// SPDX-License-Identifier: Apache-2.0
// The figure "trade": how the stream and the recording look with each way to record.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/plan/plan.h"

namespace kettle {

// A way to record, as people say it: "1280x720 at 60, HEVC".
std::string WayOf(const TradePoint& point);

struct TradeChart {
  static constexpr const char* kName = "trade";
  struct Point {
    std::string name;
    double stream_score = 0, recording_score = 0;  // points
    bool taken = false, refused = false;
  };
  std::string title, subtitle;
  double least_stream_score = 0;  // that the stream must keep
  std::vector<Point> points;
};

// Nothing if the show leaves no choice, or fewer than two ways have both scores.
std::optional<TradeChart> MakeTradeChart(const Plan& plan);

// Writes `folder`/trade.svg and .png. Throws Error(kMachine).
void Draw(const std::filesystem::path& folder, const TradeChart& chart);

void to_json(nlohmann::json& json, const TradeChart& chart);
void from_json(const nlohmann::json& json, TradeChart& chart);

}  // namespace kettle
