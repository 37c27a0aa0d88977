// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "commands/bench_plan.h"
#include "commands/commands.h"
#include "figure/figures.h"
#include "kettle/units/csv.h"
#include "kettle/units/error.h"
#include "tables/soak_tables.h"

namespace kettle::app {

namespace {

using nlohmann::json;

constexpr double kLongestWindow = 10, kMostWindows = 60;

std::string SoakCsv(const std::vector<SoakWindow>& windows) {
  static const std::vector<CsvColumn<SoakWindow>> columns = {
      CsvField("start_seconds", &SoakWindow::start_seconds, 2), CsvField("fps", &SoakWindow::fps, 2),
      CsvField("throttle_events", &SoakWindow::throttle_events), CsvField("stolen_cores", &SoakWindow::stolen_cores, 3),
      CsvField("other_cores", &SoakWindow::other_cores, 3)};
  return Csv(columns, windows);
}

}  // namespace

int RunSoakCommand(Session& session, const BenchPlan& plan) {
  if (plan.settings.size() != 1)
    FailInput("--soak runs one setting, and {} are asked for: give one --encoder and one --preset",
              plan.settings.size());
  if (plan.show.footage.size() != 1) FailInput("--soak takes one footage: give one --footage");
  const EncodeSettings& settings = plan.settings.front();
  const Footage footage = session.footage().PrepareAll(plan.show).front();
  SoakTask task{settings, footage.file.string(), *session.request().bench.soak_minutes * 60, kLongestWindow};
  task.window_seconds = std::min(kLongestWindow, std::max(0.5, task.seconds / kMostWindows));
  session.progress().Stage("soak", 1);
  const SoakOutcome outcome = session.runner().RunSoak(task);
  if (session.load()) session.load()->CheckStillThere();
  session.progress().Clear();

  SoakResult result{settings, outcome.windows, task.seconds, plan.show.required_headroom};
  result.simulated = IsSimulated(FindFamily(settings.encoder), session.stand_in_gpu());
  result.warnings = plan.warnings;
  json body = result;
  body["load"] = session.load() ? session.load()->json() : json();
  session.Write("soak", body);
  WriteFile(session.out() / "soak.csv", SoakCsv(result.windows));
  const Drift drift = result.drift();
  session.DrawChart(MakeSoakChart(settings, result.windows, drift, result.required_headroom, result.simulated));
  if (session.request().json)
    PrintJson(*ReadResult(session.out(), "soak"));
  else
    PrintSoak(result, PlaceOf(session));
  return drift.verdict == Drift::Verdict::kOverloads ? 1 : 0;
}

}  // namespace kettle::app
