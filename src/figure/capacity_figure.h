// SPDX-License-Identifier: Apache-2.0
// The figure "capacity": what the chosen encodes, the game and the rest take of each part of the machine.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/plan/plan.h"

namespace kettle {

struct CapacityChart {
  static constexpr const char* kName = "capacity";
  struct Part {
    std::string name;
    double share = 0;                           // of the whole
    std::string colour, name_colour = "white";  // the latter inside the bar
  };
  // Its name on the left, its parts from left to right, and the rest.
  struct Bar {
    std::string name;
    std::vector<Part> parts;
    std::string free;  // what the rest is called
  };
  std::string title, subtitle;
  double headroom = 0;  // that must stay free, 0..1
  std::vector<Bar> bars;
};

// What the chosen pair takes of the processors and of the GPU's engine, by part, as predicted and as the proof run
// measured it, on average and in its busiest second, and what is left then. Nothing without a chosen pair.
std::optional<CapacityChart> MakeCapacityChart(const Plan& plan);

// Writes `folder`/capacity.svg and .png. Throws Error(kMachine).
void Draw(const std::filesystem::path& folder, const CapacityChart& chart);

void to_json(nlohmann::json& json, const CapacityChart& chart);
void from_json(const nlohmann::json& json, CapacityChart& chart);

}  // namespace kettle
