// SPDX-License-Identifier: Apache-2.0
// Proving a placement in real time, and what to try next when it does not hold.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "kettle/planning/placement.h"
#include "kettle/rehearsal/proof.h"

namespace kettle {

struct Attempt {
  Pair pair;
  Proof proof;
};

struct Proving {
  std::vector<Attempt> attempts;  // in order; the last one holds, if any does
  bool holds() const { return !attempts.empty() && attempts.back().proof.holds(); }
};

// The pair to try after `pair` failed with `proof`: one preset faster for the encode that is in the
// way. That is the recording, as the stream matters more; but the stream, if it is the stream on the
// CPU that fell behind while the recording runs elsewhere, or if the recording is at its fastest
// already. Nothing if both are.
std::optional<Pair> StepDown(const Pair& pair, const Proof& proof, const std::vector<FamilyOptions>& families,
                             const Capacity& capacity);

// Proves the placement's pairs, best first, stepping each down until one holds or `most_attempts` proof
// runs have failed.
Proving ProveBest(const Placement& placement, const std::vector<FamilyOptions>& families, const Capacity& capacity,
                  const std::function<Proof(const Pair&)>& prove, int most_attempts);

}  // namespace kettle
