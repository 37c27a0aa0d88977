// SPDX-License-Identifier: Apache-2.0
// The same encodes measured twice, days or an update apart: did one become faster or slower?
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/trial/trial.h"

namespace kettle {

// A figure then and now. `change` is a share, now / before - 1; `noise` is half of its interval, also a share.
struct Change {
  double before = 0, now = 0;
  double change = 0, noise = 0;

  bool is_real() const { return change > noise || change < -noise; }
  // Of the speed where this is of the cost: what takes 25 % more is 20 % slower. Only the share and its noise.
  Change inverse() const { return {0, 0, 1 / (1 + change) - 1, noise / (1 + change)}; }
};

// One encode that both runs measured, on one clip or scene.
struct EncodeChange {
  EncodeSettings settings;
  std::string footage;
  bool simulated = false;
  Change speed;                // frames a second, unpaced
  std::optional<Change> cost;  // milliseconds of processor time a frame; not set on a GPU
  // Of its speed, beyond what all have in common, if that is told apart; where its processor time changed, by that.
  // Only the share and its noise.
  Change beyond;
  std::optional<double> score_before, score_now;
  enum class Verdict {
    kSame,      // nothing that the noise lets through
    kFaster,    // and, on the CPU, for less processor time a frame
    kSlower,    // and, on the CPU, for more
    kHeldUp,    // slower at the same processor time a frame: by other programs or the hypervisor, not of itself
    kHeldLess,  // faster at the same processor time a frame
  } verdict = Verdict::kSame;
};
const char* Name(EncodeChange::Verdict verdict);  // "same", "faster", "slower", "held up", "held up less"

struct EncodeComparison {
  std::vector<EncodeChange> encodes;  // in the order of the earlier run
  std::optional<Change> all;          // what all have in common, if four or more were compared
  int only_before = 0, only_now = 0;  // encodes that one run alone measured
  int taken_up = 0;                   // that the later run took from the earlier one: they say nothing

  // All became slower or faster by much the same: the machine, or a library that all of them use.
  bool all_changed() const { return all && all->is_real(); }
  bool any_changed() const;  // an encode, beyond what all have in common
};

// Whole trials of the same settings on the same footage, paired. Throws Error(kInput) if there is none.
//
// Logarithms of throughput and of processor time a frame are compared by their trimmed means over the repeats: those of
// a shared machine have long tails. The variance of a difference is that of both (TrimmedMean; the deviation is pooled
// over all encodes of both runs) and what two runs differ by although nothing changed (kOwnNoise, and kCommonNoise
// where all are in question; measured, see docs/numbers.md). Where four or more are compared, what they have in common
// (the mean of the middle half) is told apart, and each is held against it; so is what they have in common in each
// round of repeats (SamplesOf), for a machine whose speed drifts. With m encodes and that, each of n intervals is one
// at 1 - 0.05 / n (Bonferroni), so that a comparison of runs alike tells no difference 19 times of 20.
EncodeComparison CompareEncodes(const std::vector<Trial>& before, const std::vector<Trial>& now);

inline constexpr double kOwnNoise = 0.01;      // standard deviation between two runs of one encode, as a share
inline constexpr double kCommonNoise = 0.015;  // of all encodes of a run

void to_json(nlohmann::json& json, const EncodeComparison& comparison);

}  // namespace kettle
