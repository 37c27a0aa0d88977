// SPDX-License-Identifier: Apache-2.0
// What rehearse prints.
#pragma once

#include "kettle/diagnosis/climb.h"
#include "kettle/diagnosis/diagnosis.h"
#include "kettle/plan/plan_file.h"
#include "kettle/rehearsal/rehearsal.h"
#include "session/session.h"
#include "session/stand_in.h"

namespace kettle::app {

// What of a rehearsal was a stand-in, a line each; nothing if all was real.
void PrintSimulated(bool gpu, bool ingest, bool game);

Headline HeadlineOf(const Session& session, const RehearsalOutcome& outcome, const Diagnosis& diagnosis);
void PrintOutcome(const PlanFile& plan, const RehearsalOutcome& outcome);
void PrintGame(const GameFrames& game);
void PrintClimb(const Climb& climb);

// What a killed run left of each recording: a table, and power-cut.json. The exit code.
int TellPowerCut(Session& session, const RehearsalTask& task);

}  // namespace kettle::app
