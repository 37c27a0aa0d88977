// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "kettle/units/error.h"
#include "report/sentence.h"
#include "report/wrap.h"
#include "tables/rehearse_tables.h"

namespace kettle::app {

namespace {

void PrintStretches(const Diagnosis& diagnosis) {
  const bool near = std::any_of(diagnosis.stretches.begin(), diagnosis.stretches.end(),
                                [](const LossStretch& s) { return s.frames == 0; });
  fmt::print("{}\n",
             Paint(near ? "Lost and nearly lost frames: when and why" : "Lost frames: when and why", Tone::kStrong));
  Table table({Number("from"), Number("to"), Number("frames"), {"loss"}, {"cause"}, {"what the counters show"}});
  for (const LossStretch& s : diagnosis.stretches)
    table.Row({Number(fmt::format("{:.0f} s", s.from_seconds)),
               Number(fmt::format("{:.0f} s", s.to_seconds)),
               s.frames > 0 ? Number(fmt::format("{}", s.frames), Tone::kBad) : Number("nearly"),
               {Name(s.loss)},
               {s.program.empty() ? Name(s.cause) : fmt::format("program \"{}\"", s.program)},
               {Sentence(s.why), Tone::kDim}});
  fmt::print("{}\n", table.str());
}

// What a cure gives up, as the plan measured it.
std::string Cost(const Diagnosis::Cure& cure) {
  if (!cure.step) return "";
  const double points = cure.step->costs;
  return points >= 0 ? fmt::format("; it costs {:.1f} points of how it looks", points)
                     : fmt::format("; it costs nothing: it looks {:.1f} points better", -points);
}

}  // namespace

void PrintDiagnosis(const Diagnosis& diagnosis) {
  if (!diagnosis.stretches.empty()) PrintStretches(diagnosis);
  if (diagnosis.cures.empty()) return;
  fmt::print("{}\n", Paint("What to do", Tone::kStrong));
  bool rate_helps = false;
  for (std::size_t i = 0; i < diagnosis.cures.size(); ++i) {
    const Diagnosis::Cure& cure = diagnosis.cures[i];
    const std::string line = fmt::format("{}: {}{}.", Name(cure.cause), Sentence(cure.action), Cost(cure));
    fmt::print("  {}. {}\n", i + 1, Wrap(line, 5, 5, 110));
    rate_helps = rate_helps || cure.lower_bit_rate_helps;
  }
  if (!rate_helps) fmt::print("  A lower bit rate would not help: the uplink carried everything that was sent.\n");
  fmt::print("\n");
}

int RunDiagnose(const Request& request) {
  const std::filesystem::path folder = request.subject;
  const auto rehearsal = ReadResult(folder, "rehearsal");
  if (!rehearsal) FailInput("{}: no rehearsal there; fast-kettle rehearse writes one", folder.string());
  try {
    const auto outcome = rehearsal->at("outcome").get<RehearsalOutcome>();
    const auto facts = rehearsal->at("facts").get<DiagnosisFacts>();
    const Diagnosis diagnosis = Diagnose(outcome, facts, ReadPlanFile(folder / "plan.json"));
    const bool holds = outcome.holds();
    if (request.json) {
      PrintJson(nlohmann::json(diagnosis));
      return holds ? 0 : 1;
    }
    // An earlier version did not tell which part was simulated: what the ingest does not explain was the GPU.
    const bool simulated = rehearsal->value("simulated", false), ingest = outcome.simulated_ingest;
    const bool game = rehearsal->contains("game") && rehearsal->at("game").is_object();
    PrintSimulated(rehearsal->value("simulated_gpu", simulated && !ingest && !game), ingest, game);
    if (holds)
      fmt::print("No frame was lost in {:.0f} s{}\n", outcome.seconds,
                 diagnosis.cures.empty() ? ": nothing to fix." : ", but it was close:\n");
    PrintDiagnosis(diagnosis);
    return holds ? 0 : 1;
  } catch (const nlohmann::json::exception& error) {
    FailInput("{}: an incomplete rehearsal ({})", (folder / "rehearsal.json").string(), error.what());
  }
}

}  // namespace kettle::app
