// SPDX-License-Identifier: Apache-2.0
// history and forget.
#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "kettle/history/changes.h"
#include "past_runs/keep_run.h"
#include "past_runs/past_run_tables.h"
#include "past_runs/run_json.h"
#include "report/sentence.h"
#include "terminal.h"

namespace kettle::app {

namespace {

using nlohmann::json;

int TellOne(History& history, const Request& request) {
  KeptRun run = history.Find(request.subject, request.past.kind);
  if (request.past.name) {
    history.Name(run.number, *request.past.name);
    run = history.Find(std::to_string(run.number));
    if (!request.json) {
      if (run.name.empty())
        fmt::print("Run {} has no name any more.\n", run.number);
      else
        fmt::print("Run {} is \"{}\" now: it is kept when older runs make room, until you forget it.\n", run.number,
                   run.name);
      return 0;
    }
  }
  if (request.json) {
    PrintJson(RunJson(run));
    return 0;
  }
  PrintHeadline({fmt::format("{}: {}.", CalledFirst(run), Sentence(run.verdict)), Tone::kStrong, ""});
  PrintRun(run);
  if (run.kind == "plan") fmt::print("Next: fast-kettle restore {}\n", run.number);
  return 0;
}

}  // namespace

int RunHistory(const Request& request) {
  const auto history = OpenHistory();
  if (!request.subject.empty()) return TellOne(*history, request);
  std::vector<KeptRun> runs = history->Runs();
  if (!request.past.kind.empty())
    std::erase_if(runs, [&](const KeptRun& run) { return run.kind != request.past.kind; });
  const auto listed = static_cast<std::size_t>(request.past.last);
  if (request.json) {
    json all = json::array();
    for (std::size_t i = runs.size() - std::min(listed, runs.size()); i < runs.size(); ++i) {
      all.push_back(RunJson(runs[i]));
      if (i > 0) all.back()["changed"] = WhatChanged(runs[i - 1].circumstances, runs[i].circumstances);
    }
    PrintJson({{"file", history->file().string()}, {"bytes", history->bytes()}, {"runs", all}});
    return 0;
  }
  if (runs.empty()) {
    fmt::print("The history holds no {} yet. survey, uplink, bench, plan, rehearse and watch fill it.\n",
               request.past.kind.empty() ? "run" : request.past.kind);
    return 0;
  }
  PrintRuns(runs, listed, history->bytes());
  return 0;
}

int RunForget(const Request& request) {
  const auto history = OpenHistory();
  if (request.subject == "all") {
    const int forgotten = history->ForgetAll();
    if (request.json)
      PrintJson({{"forgotten", forgotten}});
    else
      fmt::print("Forgotten: {}. The files in their output folders are still there.\n", Count(forgotten, "run"));
    return 0;
  }
  const KeptRun run = history->Find(request.subject);
  history->Forget(run.number);
  if (request.json)
    PrintJson({{"forgotten", 1}});
  else
    fmt::print("Forgotten: {}, {} of {}. The files in {} are still there.\n", Called(run), run.kind, LocalTime(run.utc),
               run.folder);
  return 0;
}

}  // namespace kettle::app
