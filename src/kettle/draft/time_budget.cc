// SPDX-License-Identifier: Apache-2.0
#include "kettle/draft/time_budget.h"

#include <algorithm>
#include <utility>

namespace kettle {

namespace {

constexpr double kProofStart = 2;      // seconds, for opening both encoders and closing the files
constexpr double kClosing = 6;         // for checking colours, drawing and writing
constexpr double kTrial = 3;           // that one takes
constexpr double kPictureShare = 0.6;  // of the time for trials

}  // namespace

TimeBudget::TimeBudget(std::function<double()> seconds_left, double proof_seconds)
    : seconds_left_(std::move(seconds_left)), for_proof_(proof_seconds + kProofStart) {
  if (!seconds_left_) return;
  const double all = seconds_left_(), kept = for_proof_ + kClosing;
  const double for_trials = std::max(0.0, all - kept);
  picture_until_ = all - kPictureShare * for_trials;
  trials_until_ = kept;
}

bool TimeBudget::Allows(PlanStage stage) const {
  if (!seconds_left_) return true;
  const double left = seconds_left_();
  switch (stage) {
    case PlanStage::kPicture: return left - kTrial >= picture_until_;
    case PlanStage::kPlacement:
    case PlanStage::kRecordingLevel: return left - kTrial >= trials_until_;
    case PlanStage::kProof: return left >= for_proof_ + kClosing;
    case PlanStage::kEncodeEach: return left >= kTrial + for_proof_ + kClosing;
    case PlanStage::kBesides: return left >= kTrial + kClosing;
  }
  return true;
}

}  // namespace kettle
