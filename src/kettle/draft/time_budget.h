// SPDX-License-Identifier: Apache-2.0
// What of a plan is still begun when its time is limited.
#pragma once

#include <functional>

namespace kettle {

// What a planner is busy with, in this order; pictures that do not hold send it back to kPlacement.
enum class PlanStage {
  kPicture,         // the stream, with its B-frames and look-ahead
  kPlacement,       // what goes beside it
  kRecordingLevel,  // the recording's quality
  kProof,           // both encodes in real time
  kEncodeEach,      // an encode for each destination
  kBesides,         // what to lower when the line drops
};

// Shares out the time: what is proven counts most, so time for a proof run, and for writing the results, is kept; of
// the rest the stream's picture gets three fifths at most.
class TimeBudget {
 public:
  TimeBudget() = default;  // no limit
  // `seconds_left`: asked each time; not set: no limit. `proof_seconds`: what a proof run plays.
  TimeBudget(std::function<double()> seconds_left, double proof_seconds);

  bool limited() const { return static_cast<bool>(seconds_left_); }
  // Whether something of this stage may be begun. The first proof run always may.
  bool Allows(PlanStage stage) const;

 private:
  std::function<double()> seconds_left_;
  double for_proof_ = 0;
  double picture_until_ = 0, trials_until_ = 0;  // seconds left at which these end
};

}  // namespace kettle
