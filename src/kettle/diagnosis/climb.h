// SPDX-License-Identifier: Apache-2.0
// Down the plan's steps until a rehearsal holds, and up again as far as it still does.
#pragma once

#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/diagnosis/diagnosis.h"

namespace kettle {

// One rehearsal of a climb.
struct Climbed {
  std::string step;  // taken before it, or taken back; empty: the plan as it is
  bool taken_back = false;
  int lost = 0;  // frames
  bool holds = false;
  std::optional<double> game_fps = {};  // that the game made beside it; not set: nothing tells
};

struct Climb {
  std::vector<Climbed> rehearsals;  // in order
  PlanFile plan;                    // as it holds, or as far as it went
  bool holds = false;
  std::string stopped;  // why it went no further, if it does not hold
};

// What one rehearsal of a plan gave.
struct RehearsalVerdict {
  int lost = 0;
  bool holds = false;
  Diagnosis diagnosis;
  std::optional<double> game_fps = {};
};

// The plan with a cure's step taken; nothing if that cure is no step of the plan.
std::optional<PlanFile> ApplyCure(const Diagnosis::Cure& cure, const PlanFile& plan);

// Rehearses, takes the step of the costliest cause that has one, and so on, `most` times at most; when it holds, takes
// back one by one the steps before the last, and keeps what then still holds.
Climb ClimbDown(const PlanFile& plan, int most, const std::function<RehearsalVerdict(const PlanFile&)>& rehearse);

// Of the plan both encodes only.
void to_json(nlohmann::json& json, const Climb& climb);
void from_json(const nlohmann::json& json, Climb& climb);

}  // namespace kettle
