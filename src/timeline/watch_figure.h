// SPDX-License-Identifier: Apache-2.0
// The figure "watch": a broadcast seen from outside, second by second.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/watching/trouble.h"
#include "kettle/watching/watch.h"

namespace kettle {

struct WatchChart {
  static constexpr const char* kName = "watch";
  struct Stretch {
    std::string cause;
    double from = 0, to = 0;  // seconds
  };
  std::string title, subtitle;
  double cpu_cores = 0, usual_kbps = 0;
  std::vector<WatchSecond> seconds;
  std::vector<Stretch> troubles;
};

// `title` is the figure's answer. Nothing of fewer than two seconds.
std::optional<WatchChart> MakeWatchChart(const std::vector<WatchSecond>& seconds, const WatchFacts& facts,
                                         const WatchVerdict& verdict, const std::string& title);

// Writes `folder`/watch.svg and .png. Throws Error(kMachine).
void Draw(const std::filesystem::path& folder, const WatchChart& chart);

void to_json(nlohmann::json& json, const WatchChart& chart);
void from_json(const nlohmann::json& json, WatchChart& chart);

}  // namespace kettle
