// SPDX-License-Identifier: Apache-2.0
#include "kettle/draft/time_budget.h"

#include <gtest/gtest.h>

namespace kettle {
namespace {

TEST(TimeBudget, WithoutALimitEverythingIsAllowed) {
  for (const PlanStage stage : {PlanStage::kPicture, PlanStage::kPlacement, PlanStage::kProof, PlanStage::kBesides})
    EXPECT_TRUE(TimeBudget().Allows(stage));
}

TEST(TimeBudget, ThePictureGetsThreeFifthsOfWhatAProofRunLeaves) {
  double left = 68;  // a proof run of 10 s with its start and the closing take 18
  const TimeBudget budget([&] { return left; }, 10);
  left = 41.5;
  EXPECT_TRUE(budget.Allows(PlanStage::kPicture));
  left = 40;
  EXPECT_FALSE(budget.Allows(PlanStage::kPicture)) << "30 of 50 s are over at the end of the next trial";
  EXPECT_TRUE(budget.Allows(PlanStage::kPlacement));
  left = 20;
  EXPECT_FALSE(budget.Allows(PlanStage::kPlacement));
  EXPECT_TRUE(budget.Allows(PlanStage::kProof));
  left = 17;
  EXPECT_FALSE(budget.Allows(PlanStage::kProof));
  EXPECT_TRUE(budget.Allows(PlanStage::kBesides));
  left = 5;
  EXPECT_FALSE(budget.Allows(PlanStage::kBesides));
}

}  // namespace
}  // namespace kettle
