// SPDX-License-Identifier: Apache-2.0
// Proving a placement in real time, and what to try next when it does not hold.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "kettle/placement/placement.h"
#include "kettle/rehearsal/proof.h"

namespace kettle {

struct Attempt {
  Pair pair;
  Proof proof;

  // The share of the processors that the run left free, in its busiest second, of those that both encodes may use: a
  // scene that takes more than the others may last, and the game's busiest second may fall into it.
  double room(const Capacity& capacity) const;
  // It leaves the required headroom, of the processors as the run measured them, of the engine as the trials did; and
  // each encode has it alone.
  bool has_room(const Capacity& capacity) const;
  // `capacity.real_time_factor` as this run has it, by its busiest second and as if no frame had been skipped. Nothing
  // if it did not end as it should, or others disturbed it.
  std::optional<double> OwnRealTimeFactor(const Capacity& capacity) const;
  // That, where it is why the run has too little room; otherwise the capacity's.
  double RealTimeFactor(const Capacity& capacity) const;
};

void to_json(nlohmann::json& json, const Attempt& attempt);
void from_json(const nlohmann::json& json, Attempt& attempt);

enum class PlanVerdict {
  kHolds,     // in real time, with the required headroom
  kTight,     // in real time, but with less of it
  kOverload,  // frames were skipped, or nothing came near enough to be tried
};
const char* Name(PlanVerdict verdict);  // "holds", "tight", "overload"

struct Proving {
  std::vector<Attempt> attempts;  // in the order in which they were made, but for the one that stands: that is the last
  bool holds() const { return !attempts.empty() && attempts.back().proof.holds(); }
  // Puts last, of those that hold, the latest one that leaves the required headroom, otherwise the one that leaves
  // most: what is tried after a tight run may fail, and takes nothing away from it.
  void LetBestStand(const Capacity& capacity);
  PlanVerdict verdict(const Capacity& capacity) const;
};

// The pair to try after `pair` failed with `proof`: one preset faster for the encode that is in the
// way. That is the recording, as the stream matters more; but the stream, if it is the stream on the
// CPU that fell behind while the recording runs elsewhere, or if the recording is at its fastest
// already. Nothing if both are.
std::optional<Pair> StepDown(const Pair& pair, const Proof& proof, const std::vector<FamilyOptions>& families,
                             const Capacity& capacity);

// Proves the placement's pairs, best first, stepping each down until one holds with room, or `most_attempts` proof
// runs were made. One that holds without is stepped down too; if nothing lighter is left to try, it stands. One that
// fails or lacks room while the machine is disturbed is run once more first. `worth_it` is asked before a pair other
// than the first is proven: if it is not, the runs that are left are better spent on another picture, and it ends. So
// it does once `go_on`, asked before a faster preset is measured, says no.
Proving ProveBest(const Placement& placement, const std::vector<FamilyOptions>& families, const Capacity& capacity,
                  const std::function<Proof(const Pair&)>& prove, int most_attempts,
                  const std::function<bool(const Pair&)>& worth_it = {}, const std::function<bool()>& go_on = {});

}  // namespace kettle
