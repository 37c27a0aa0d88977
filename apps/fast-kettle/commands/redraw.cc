// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "figure/figure_folder.h"
#include "kettle/input/input.h"
#include "kettle/plan/plan.h"
#include "kettle/plan/plan_file.h"
#include "kettle/store/file.h"
#include "kettle/store/output_folder.h"
#include "kettle/units/error.h"
#include "page/report_page.h"
#include "report/card.h"
#include "report/trial_csv.h"
#include "tables/answer_tables.h"
#include "tables/bench_tables.h"
#include "tables/check_tables.h"
#include "tables/plan_tables.h"
#include "tables/rehearse_tables.h"
#include "tables/soak_tables.h"
#include "tables/uplink_tables.h"
#include "terminal.h"

namespace kettle::app {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

// A file that somebody changed may lack what every result has.
bool IsWhole(const Answer& answer) {
  return !answer.variants.empty() &&
         std::all_of(answer.variants.begin(), answer.variants.end(), [&](const VariantAnswer& variant) {
           return variant.curve.empty() || variant.curve.size() == answer.question.rates.size();
         });
}

void TellBench(const json& file, const ResultPlace& place) {
  WriteFile(place.folder / "bench.csv", TrialCsv(file.at("trials").get<std::vector<Trial>>()));
  const std::string name = (place.folder / "bench.json").string();
  if (file.contains("question")) {
    const auto answer = file["question"].get<Answer>();
    if (!IsWhole(answer)) FailInput("{}: an answer without all of its variants", name);
    PrintAnswer(answer, file["question"].at("measured_seconds"), place);
  } else {
    const auto result = file.at("bench").get<BenchResult>();
    if (result.settings.empty()) FailInput("{}: a bench of nothing", name);
    PrintBench(result, place);
  }
}

void TellUplink(const json& file, const ResultPlace& place) {
  const auto result = file.get<UplinkResult>();
  if (result.feasible() != result.choice.has_value())
    FailInput("{}: a line without its rate control", (place.folder / "uplink.json").string());
  PrintUplink(result, place);
}

void TellPlan(const json& file, const ResultPlace& place) {
  const Plan plan = file.get<Plan>();
  if (!HasWhatACardTells(plan)) FailInput("{}: a plan without its proof", (place.folder / "plan.json").string());
  WriteFile(place.folder / "card.txt", SettingsCard(plan));
  if (file.contains("exhaustive")) PrintGridCheck(file["exhaustive"].get<GridCheck>());
  PrintPlan(plan, place);
}

void TellRehearsal(const json& file, const ResultPlace& place) {
  const auto result = file.get<RehearsalResult>();
  WriteFile(place.folder / "seconds.csv", SecondsCsv(result.outcome.timeline));
  const Diagnosis diagnosis = Diagnose(result.outcome, result.facts, ReadPlanFile(place.folder / "plan.json"));
  WriteRehearsedCard(place.folder, result, diagnosis);
  PrintRehearsal(result, diagnosis, place);
}

void TellSoak(const json& file, const ResultPlace& place) { PrintSoak(file.get<SoakResult>(), place); }

struct Result {
  const char* kind;  // the JSON file's name
  void (*tell)(const json&, const ResultPlace&);
};
constexpr Result kResults[] = {
    {"bench", TellBench}, {"soak", TellSoak}, {"uplink", TellUplink}, {"plan", TellPlan}, {"rehearsal", TellRehearsal}};

// A plan keeps its trials as a bench does, and a rehearsal a copy of the plan that it went by.
bool IsOwn(const std::string& kind, const json& file, const fs::path& folder) {
  if (kind == "bench") return file.contains("bench") || file.contains("question");
  return kind != "plan" || fs::exists(folder / "bench.json");
}

// Prints a result's tables and writes its text files; false if it is not there.
bool TellAgain(const Result& result, const fs::path& folder) {
  const auto file = ReadResult(folder, result.kind);
  if (!file || !IsOwn(result.kind, *file, folder)) return false;
  try {
    result.tell(*file, {folder, file->value("stand_in_gpu", "")});
  } catch (const json::exception& error) {
    FailInput("{}: an earlier version wrote it, or it is incomplete: {}",
              (folder / (std::string(result.kind) + ".json")).string(), InPlainWords(error));
  }
  return true;
}

}  // namespace

int RunRedraw(const Request& request) {
  if (!fs::is_directory(request.subject)) FailInput("{}: no such folder", request.subject);
  const OutputFolder folder(request.subject);  // nobody else writes there meanwhile
  // First, for an earlier version's figures can be drawn where its tables cannot be told.
  const std::vector<std::string> names = DrawAgain(folder.path());
  std::vector<std::string> told;
  for (const Result& result : kResults)
    if (!request.json && TellAgain(result, folder.path())) told.emplace_back(result.kind);
  if (told.empty() && names.empty())
    FailInput("{}: no results there; plan, bench, uplink and rehearse write them", request.subject);
  if (fs::exists(folder.path() / "report.html") && !told.empty() && told != std::vector<std::string>{"rehearsal"})
    WriteFile(folder.path() / "report.html", ReportPage({folder.path()}, kVersion));
  if (request.json)
    PrintJson(json{{"figures", names}});
  else if (!names.empty())
    fmt::print("Drawn again in {}/, as SVG and PNG: {}.\n", folder.path().string(), fmt::join(names, ", "));
  return 0;
}

}  // namespace kettle::app
