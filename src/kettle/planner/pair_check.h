// SPDX-License-Identifier: Apache-2.0
// Every pair of stream and recording tried, to check the plan against.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>

#include "kettle/planner/make_plan.h"

namespace kettle {

struct PairCheck {
  int trials = 0;                   // of streams and recordings, each alone
  long pairs = 0;                   // that were weighed
  std::optional<double> alone;      // the best stream's score without a recording; not set: nothing keeps pace
  std::optional<Pair> best, plans;  // of all; and the plan's, as it was placed, by the same trials

  // Points that the plan's looks worse; below zero: better.
  double stream_loss() const { return best && plans ? best->stream.score - plans->stream.score : 0; }
  double recording_loss() const { return best && plans ? best->recording.score - plans->recording.score : 0; }
};

// Measures every preset of every family of the request as stream, at every size and frame rate, and as recording, at
// every picture that it may have at its bit rate; then weighs each pair that fits, and each stream recorded as it is.
// The best is the best looking recording beside a stream that loses no more than it may. Hours, but for small pictures.
PairCheck CheckPairs(const PlanRequest& request, TrialBook& book);

// The pair that the plan proved first.
void ComparePlan(const Plan& plan, PairCheck& check);

void to_json(nlohmann::json& json, const PairCheck& check);

}  // namespace kettle
