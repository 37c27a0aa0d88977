// SPDX-License-Identifier: Apache-2.0
// What a plan is asked for, and how far it is.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "kettle/draft/allowed_devices.h"
#include "kettle/draft/time_budget.h"
#include "kettle/plan/own_streams.h"
#include "kettle/plan/plan.h"

namespace kettle {

// How far a plan is, for those who wait for it.
struct PlanStatus {
  PlanStage stage = PlanStage::kPicture;
  int most_trials_left = 0;
  std::optional<Option> best;  // the best looking stream so far that keeps pace alone; later, the one that is placed
};

struct PlanRequest {
  const Show& show;
  Targets targets;
  std::vector<Footage> footage;
  std::vector<std::string> families;  // usable ones for the stream, by name
  Capacity capacity;                  // its headroom is the show's
  int most_proofs = 5;
  std::map<std::string, std::vector<int>> devices = {};  // of a family, those that work, where not just its first
  std::map<std::string, int> sessions = {};              // of a family, that its driver opens at once on one device
  std::vector<int> processors = {};                      // Processor::usable; empty: dividing them is not tried
  std::map<std::string, Footage> calm = {};  // clips' calmest stretches, by the labels of their busiest in `footage`
  TimeBudget time = {};
  std::function<void(const PlanStatus&)> watch = {};  // told of each new stage and option
  // For the recording; where H.264 is among them, other codecs have to beat it. Empty: those of the stream.
  std::vector<std::string> recording_families = {};
  std::vector<OwnStream> own_streams = {};  // for destinations that may get an encode each
  AllowedDevices stream_devices = {}, recording_devices = {};
  std::set<std::string> without_b_frames = {};  // families whose driver here makes none, though others' may
  // A run that may end early, once it is seen to leave too little headroom (Proof::ended_early). Empty: none may.
  std::function<Proof(const Pair&)> prove_until_too_much = {};
};

// The devices that work of that family.
std::vector<int> DevicesOf(const PlanRequest& request, const std::string& family);
// What is searched for the stream's picture, each family on its first device that may be used.
SearchSpace StreamSpace(const PlanRequest& request);

// Runs one pair in real time.
using Prove = std::function<Proof(const Pair&)>;

}  // namespace kettle
