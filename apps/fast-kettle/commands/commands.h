// SPDX-License-Identifier: Apache-2.0
// The commands. Each prints its result and returns the exit code: 0, or 1 if the answer is no.
#pragma once

#include "kettle/diagnosis/diagnosis.h"
#include "kettle/option/option.h"
#include "kettle/uplink/rate_choice.h"
#include "session/session.h"

namespace kettle::app {

int RunSurvey(Session& session);
int RunBench(Session& session);
int RunPlan(Session& session);
int RunUplink(Session& session);
int RunWatch(Session& session);
int RunRehearse(Session& session);
int RunDiagnose(const Request& request);
int RunRedraw(const Request& request);
int RunPrepare(const Request& request, const Places& places);
int RunReport(const Request& request);
// report.html in the session's folder, of what is there and in `more` folders; one that fails is a warning.
void WriteReport(const Session& session, const std::vector<std::filesystem::path>& more = {});
int RunHistory(const Request& request);
int RunCompare(const Request& request);
int RunRestore(const Request& request);
int RunForget(const Request& request);
int RunLoad(const Request& request, const Places& places);

// Real encodes of the show's first footage under each rate control, modelled on the show's line: which one, how high.
// They are made at `encoded` where that is given, which the model then scales to `bit_rate`. `line_share` is
// the part of the line that this encode has; 0: each destination has as much.
struct LineAnswer {
  LineTrace line;  // what is reserved taken off
  SendingModel model;
  RateChoice choice;
};
LineAnswer AskTheLine(Session& session, const Show& show, const Budget& budget, const Footage& pictures,
                      BitRate bit_rate, const std::vector<double>& buffer_seconds, std::optional<BitRate> encoded = {},
                      double line_share = 0);
int RunFootage(const Request& request);
int RunDemo(Request request, const Places& places);

// The show that the request names, checked.
Show LoadShow(const Session& session);

struct BenchPlan;
// One setting for long: bench --soak.
int RunSoakCommand(Session& session, const BenchPlan& plan);

}  // namespace kettle::app
