// SPDX-License-Identifier: Apache-2.0
// What bench prints for people.
#pragma once

#include <vector>

#include "commands/bench_plan.h"
#include "kettle/option/option.h"
#include "kettle/trial/interleaved.h"

namespace kettle::app {

struct BenchResult {
  const BenchPlan& plan;
  const std::vector<TrialJob>& jobs;
  const std::vector<Option>& options;
  const std::vector<PacedTrial>& paced;
  int taken_up = 0;  // trials of an earlier run
  double seconds = 0;
};

void PrintBench(const Session& session, const BenchResult& result);
void PrintDryRun(const BenchPlan& plan, const std::vector<TrialJob>& jobs, const Expectation& expectation);

// "4 min 10 s".
std::string Duration(double seconds);

}  // namespace kettle::app
