// SPDX-License-Identifier: Apache-2.0
// Why a plan that holds is as it is: written into its reasons and warnings once everything is proven.
#pragma once

#include <set>
#include <string>

#include "kettle/draft/plan_draft.h"

namespace kettle {

// Marks the way to record that was taken.
void ExplainWay(PlanDraft& draft);

// The recording's quality level, or why it has none.
void ExplainRecordingLevel(Plan& plan);

// What became of each codec that a destination or the show could have let in. `failed`: encoders of recordings that did
// not hold in real time.
void ExplainCodecs(PlanDraft& draft, const std::set<std::string>& failed);

// What each encode costs the game, on the card that the game is on or away from it.
void ExplainCostToTheGame(Plan& plan);

}  // namespace kettle
