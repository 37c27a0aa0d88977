// SPDX-License-Identifier: Apache-2.0
// The figure "rate-quality": quality against bit rate of a question's variants.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/question/answer.h"

namespace kettle {

struct RateQualityChart {
  static constexpr const char* kName = "rate-quality";
  struct Curve {
    std::string title;
    std::vector<double> kbps, quality;
    int look = 0;  // which colour and point
  };
  std::string title, subtitle;
  double asked_kbps = 0;
  std::vector<double> rates_kbps;
  std::vector<Curve> curves;
  Curve hull;  // the best of all
};

// Nothing if no variant has figures.
std::optional<RateQualityChart> MakeRateQualityChart(const Answer& answer);

// Writes `folder`/rate-quality.svg and .png. Throws Error(kMachine).
void Draw(const std::filesystem::path& folder, const RateQualityChart& chart);

void to_json(nlohmann::json& json, const RateQualityChart& chart);
void from_json(const nlohmann::json& json, RateQualityChart& chart);

}  // namespace kettle
