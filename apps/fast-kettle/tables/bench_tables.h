// SPDX-License-Identifier: Apache-2.0
// What bench prints for people.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "commands/bench_plan.h"
#include "kettle/option/option.h"
#include "kettle/trial/interleaved.h"
#include "tables/result_place.h"

namespace kettle::app {

struct BenchResult {
  std::string title;
  std::string show;  // the file; empty: of options alone
  double required_headroom = 0.2;
  std::vector<EncodeSettings> settings;  // asked for
  std::vector<Option> options;           // measured
  std::vector<PacedTrial> paced;
  std::vector<Message> warnings;
  int trials = 0, missing = 0;  // asked for; of these not measured
  int repeats = 0;
  int taken_up = 0;  // trials of an earlier run
  double seconds = 0;
  // What it was measured on, for bench --like; empty: an earlier version did not tell.
  std::vector<std::string> footage;  // scenes by name, clips by absolute path
  FrameSize source_size;
  FrameRate source_rate;
  double footage_seconds = 0;
};

void to_json(nlohmann::json& json, const BenchResult& result);
void from_json(const nlohmann::json& json, BenchResult& result);

void PrintBench(const BenchResult& result, const ResultPlace& place);
void PrintDryRun(const BenchPlan& plan, const std::vector<TrialJob>& jobs, const Expectation& expectation);

// "4 min 10 s".
std::string Duration(double seconds);

}  // namespace kettle::app
