// SPDX-License-Identifier: Apache-2.0
// The commands. Each prints its result and returns the exit code: 0, or 1 if the answer is no.
#pragma once

#include "kettle/planning/option.h"
#include "session.h"

namespace kettle::app {

int RunSurvey(Session& session);
int RunBench(Session& session);
int RunPlan(Session& session);
int RunUplink(Session& session);
int RunFootage(const Request& request);
int RunDemo(Request request, const Places& places);

// The show that the request names, checked.
Show LoadShow(const Session& session);

struct BenchPlan;
// One setting for long: bench --soak.
int RunSoakCommand(Session& session, const BenchPlan& plan);

// One row for each option: preset, speed, headroom, cores, quality, verdict.
Table OptionTable(const std::vector<Option>& options, double required_headroom);

}  // namespace kettle::app
