// SPDX-License-Identifier: Apache-2.0
#include "page/report_page.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "kettle/input/input.h"
#include "kettle/plan/plan.h"
#include "kettle/rehearsal/rehearsal.h"
#include "kettle/units/error.h"
#include "page/sections.h"
#include "report/card.h"
#include "report/sentence.h"

namespace kettle {

using Json = nlohmann::json;

namespace {

PageTone ToneOf(PlanVerdict verdict) {
  return verdict == PlanVerdict::kHolds   ? PageTone::kGood
         : verdict == PlanVerdict::kTight ? PageTone::kTight
                                          : PageTone::kBad;
}

void TellPlan(const Results& results, const Plan& plan, Page& page) {
  page.title = plan.title;
  page.tone = ToneOf(plan.verdict());
  if (plan.chosen) {
    page.answer = CardVerdict(plan);
    page.proof = CardProof(plan);
  } else {
    page.answer = "NO PLAN: nothing that was tried keeps pace on this machine.";
  }
  if (plan.simulated)
    page.simulated = "Simulated: a stand-in took the GPU's place. Its figures say nothing about a real card.";
  for (PageSection section : {SettingsSection(results, plan), LooksSection(results, plan), TradeSection(results, plan)})
    page.sections.push_back(std::move(section));
}

// What the rehearsal says counts more than the plan's own proof.
void TellRehearsal(const Json& file, Page& page) {
  const auto outcome = file.at("outcome").get<RehearsalOutcome>();
  if (page.title.empty()) page.title = file.value("title", "A rehearsal");
  const bool held = file.value("verdict", "") == "holds" || outcome.holds();
  const std::string told =
      held ? fmt::format("The rehearsal held: no frame was lost in {:.0f} s.", outcome.seconds)
           : fmt::format("The rehearsal lost {} frames in {:.0f} s.", outcome.lost(), outcome.seconds);
  if (!held) page.tone = PageTone::kBad;
  page.answer += (page.answer.empty() ? "" : " ") + told;
}

std::string Written(const Results& results) {
  for (const char* kind : {"plan", "rehearsal", "bench", "uplink"})
    if (const auto file = results.Read(kind))
      return fmt::format("The {} is of {} (UTC).", kind, file->value("time", "an unknown time"));
  return "";
}

}  // namespace

std::string ReportPage(const std::vector<std::filesystem::path>& folders, const std::string& version) {
  const Results results(folders);
  std::vector<std::string> names;
  for (const auto& folder : folders)
    names.push_back(folder.filename().empty() ? folder.parent_path().filename().string() : folder.filename().string());
  Page page;
  page.version = version;
  page.sources = fmt::format("{}", fmt::join(names, ", "));
  try {
    const auto plan_file = results.Read("plan"), rehearsal = results.Read("rehearsal");
    const auto plan = plan_file ? std::optional(plan_file->get<Plan>()) : std::nullopt;
    if (plan && !HasWhatACardTells(*plan)) FailInput("{}: a plan without its proof", names.front());
    if (plan) TellPlan(results, *plan, page);
    if (rehearsal) TellRehearsal(*rehearsal, page);
    page.sections.push_back(LineSection(results));
    if (plan) page.sections.push_back(ProofSection(results, *plan));
    page.sections.push_back(RehearsalSection(results));
    page.sections.push_back(WatchSection(results));
    if (plan) page.sections.push_back(ReasonsSection(*plan));
    page.sections.push_back(OtherProgramsSection(results));
    page.sections.push_back(MeasuredSection(results));
    bool empty = true;
    for (const PageSection& section : page.sections) empty = empty && section.empty();
    if (empty)
      FailInput("{}: nothing to report there; plan, bench, uplink and rehearse write results", fmt::join(names, ", "));
  } catch (const Json::exception& error) {
    FailInput("{}: an earlier version wrote it, or it is incomplete: {}", fmt::join(names, ", "), InPlainWords(error));
  }
  if (page.title.empty()) page.title = "What was measured";
  if (page.answer.empty()) page.answer = "Measurements without a plan: fast-kettle plan makes one.";
  page.written = Written(results);
  return Html(page);
}

}  // namespace kettle
