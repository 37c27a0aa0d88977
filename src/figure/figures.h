// SPDX-License-Identifier: Apache-2.0
// Figures of bench and plan: speed against quality, the proof run's frames, a long run's speed.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/plan/plan.h"
#include "kettle/rehearsal/proof.h"
#include "kettle/trial/drift.h"

namespace kettle {

// Every option's speed against its quality, with the frame rate's line, the required headroom's, and the choice marked.
struct SpeedQualityChart {
  static constexpr const char* kName = "speed-quality";
  struct Point {
    std::string name;
    double fps = 0, score = 0;
    bool chosen = false;
  };
  struct Series {
    std::string title;
    std::vector<Point> points;  // fastest first
  };
  std::string title, subtitle;
  double frame_rate = 0, headroom = 0;  // frames a second; the share that must stay free
  std::vector<Series> series;
  std::vector<Point> refined;  // the choice, if it was refined after the presets were compared
};
// `chosen` is empty if there is none. Nothing if no option has a quality.
std::optional<SpeedQualityChart> MakeSpeedQualityChart(const std::vector<Option>& options,
                                                       const std::optional<Option>& chosen, double required_headroom);

// When each frame of the proof run was taken by its encoder, against the time at which the queue would have been full.
struct ProofTimesChart {
  static constexpr const char* kName = "proof-times";
  struct Output {
    std::vector<double> due_seconds, taken_ms;  // of each frame; below zero: skipped
  };
  std::string title, subtitle;
  double seconds = 0, interval_ms = 0, full_ms = 0;  // of the run; between frames; of the whole queue
  Output stream, recording;
};
// Nothing if no frame was taken.
std::optional<ProofTimesChart> MakeProofTimesChart(const Attempt& attempt);

// The throughput of each window of a long run, and what is needed.
struct SoakChart {
  static constexpr const char* kName = "soak";
  std::string title, subtitle, needed;
  double end_minutes = 0, needed_fps = 0, first_fps = 0, last_fps = 0;  // of the first and last quarter
  std::vector<double> minutes, fps;
};
SoakChart MakeSoakChart(const EncodeSettings& settings, const std::vector<SoakWindow>& windows, const Drift& drift,
                        double required_headroom, bool simulated);

// Write `folder`/<name>.svg and .png. Throw Error(kMachine).
void Draw(const std::filesystem::path& folder, const SpeedQualityChart& chart);
void Draw(const std::filesystem::path& folder, const ProofTimesChart& chart);
void Draw(const std::filesystem::path& folder, const SoakChart& chart);

void to_json(nlohmann::json& json, const SpeedQualityChart& chart);
void from_json(const nlohmann::json& json, SpeedQualityChart& chart);
void to_json(nlohmann::json& json, const ProofTimesChart& chart);
void from_json(const nlohmann::json& json, ProofTimesChart& chart);
void to_json(nlohmann::json& json, const SoakChart& chart);
void from_json(const nlohmann::json& json, SoakChart& chart);

}  // namespace kettle
