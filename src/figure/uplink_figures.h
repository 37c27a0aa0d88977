// SPDX-License-Identifier: Apache-2.0
// Figures of a line: what it carried, what of it the stream takes, and how a queue before it fills.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/uplink/rate_choice.h"

namespace kettle {

// The line over time with the budget, and the one-second rates of the encodes, as often as the line lasts.
struct LineChart {
  static constexpr const char* kName = "line";
  struct Encode {
    std::string title;
    std::vector<double> seconds_kbps;
  };
  std::string title, subtitle;
  double counted_kbps = 0, budget_kbps = 0;
  std::vector<double> carried_kbps;  // in each second
  std::vector<Encode> encodes;       // one of each kind of rate control, the best
};
LineChart MakeLineChart(const LineTrace& line, const Budget& budget, const RateChoice& choice);

struct DelayCurve {
  std::string name;
  SendingOutcome outcome;  // with delay_by_second
};
struct QueueDelayChart {
  static constexpr const char* kName = "queue-delay";
  struct Curve {
    std::string title;
    std::vector<double> delay_by_second;  // seconds
  };
  std::string title;
  double most_delay_seconds = 0, peak_delay_seconds = 0;
  std::vector<Curve> curves;
};
// Of one curve at least.
QueueDelayChart MakeQueueDelayChart(const std::vector<DelayCurve>& curves, double kbps, double most_delay_seconds);

// Write `folder`/<name>.svg and .png. Throw Error(kMachine).
void Draw(const std::filesystem::path& folder, const LineChart& chart);
void Draw(const std::filesystem::path& folder, const QueueDelayChart& chart);

void to_json(nlohmann::json& json, const LineChart& chart);
void from_json(const nlohmann::json& json, LineChart& chart);
void to_json(nlohmann::json& json, const QueueDelayChart& chart);
void from_json(const nlohmann::json& json, QueueDelayChart& chart);

}  // namespace kettle
