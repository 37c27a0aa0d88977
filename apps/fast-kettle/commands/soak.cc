// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "figure/figures.h"
#include "kettle/trial/drift.h"
#include "kettle/units/csv.h"
#include "kettle/units/error.h"
#include "report/sentence.h"
#include "tables/bench_tables.h"

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

void Write(Session& session, const EncodeSettings& settings, const std::vector<SoakWindow>& windows, const Drift& drift,
           double required, bool simulated) {
  json list = json::array();
  for (const SoakWindow& w : windows)
    list.push_back({{"start_seconds", w.start_seconds},
                    {"fps", w.fps},
                    {"throttle_events", w.throttle_events},
                    {"stolen_cores", w.stolen_cores},
                    {"other_cores", w.other_cores}});
  session.Write("soak", {{"simulated", simulated},
                         {"settings", settings},
                         {"verdict", Name(drift.verdict)},
                         {"words", DriftMessage(drift, required)},
                         {"first_fps", drift.first_fps},
                         {"last_fps", drift.last_fps},
                         {"lowest_fps", drift.lowest_fps},
                         {"change", drift.change},
                         {"noise", drift.noise},
                         {"last_headroom", drift.last_headroom},
                         {"throttle_events", drift.throttle_events},
                         {"disturbed", drift.disturbed},
                         {"load", session.load() ? session.load()->json() : json()},
                         {"windows", list}});
  WriteFile(session.out() / "soak.csv", SoakCsv(windows));
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

  const double required = plan.show.required_headroom;
  const Drift drift = MeasureDrift(outcome.windows, settings.frame_rate, required);
  const bool simulated = settings.encoder.starts_with("nvenc") && !session.request().stand_in_gpu.empty();
  Write(session, settings, outcome.windows, drift, required, simulated);
  session.DrawChart(MakeSoakChart(settings, outcome.windows, drift, required, simulated));
  const bool holds = drift.verdict != Drift::Verdict::kOverloads;
  if (session.request().json) {
    PrintJson(*ReadResult(session.out(), "soak"));
    return holds ? 0 : 1;
  }
  const bool clear = drift.verdict != Drift::Verdict::kUnclear;
  fmt::print("{}\n\n", Paint(Alone(Sentence(DriftMessage(drift, required))), !holds  ? Tone::kBad
                                                                             : clear ? Tone::kGood
                                                                                     : Tone::kStrong));
  fmt::print("{} {}{}, {} at {} frames a second, as fast as it goes, {} in {} windows\n", settings.encoder,
             settings.preset, simulated ? " (simulated)" : "", settings.size.str(), settings.frame_rate.str(),
             Duration(task.seconds), outcome.windows.size());
  for (const Message& warning : plan.warnings) fmt::print("\n{}\n", Paint("Note: " + Sentence(warning), Tone::kDim));
  if (simulated) fmt::print("\n{}", SimulatedNotice());
  fmt::print("\nFigure, soak.csv and soak.json in {}/\n", session.out().string());
  return holds ? 0 : 1;
}

}  // namespace kettle::app
