// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "kettle/input/input.h"
#include "kettle/units/error.h"
#include "tables/rehearse_tables.h"

namespace kettle::app {

int RunDiagnose(const Request& request) {
  const std::filesystem::path folder = request.subject;
  const auto rehearsal = ReadResult(folder, "rehearsal");
  if (!rehearsal) FailInput("{}: no rehearsal there; fast-kettle rehearse writes one", folder.string());
  try {
    const auto outcome = rehearsal->at("outcome").get<RehearsalOutcome>();
    const auto facts = rehearsal->at("facts").get<DiagnosisFacts>();
    const Diagnosis diagnosis = Diagnose(outcome, facts, ReadPlanFile(folder / "plan.json"));
    const bool holds = outcome.holds() && !facts.GameLosesTooMuch();
    if (request.json) {
      PrintJson(nlohmann::json(diagnosis));
      return holds ? 0 : 1;
    }
    // An earlier version did not tell which part was simulated: what the ingest does not explain was the GPU.
    const bool simulated = rehearsal->value("simulated", false), ingest = outcome.simulated_ingest();
    const bool game = facts.game && facts.game->simulated;
    PrintSimulated(rehearsal->value("simulated_gpu", simulated && !ingest && !game), ingest, game);
    if (holds)
      fmt::print("No frame was lost in {:.0f} s{}\n", outcome.seconds,
                 diagnosis.cures.empty() ? ": nothing to fix." : ", but it was close:\n");
    else if (outcome.holds())
      fmt::print(
          "No frame of the stream or the recording was lost, but the game falls from {:.1f} to {:.1f} frames a "
          "second.\n\n",
          facts.game->alone_fps, facts.game->beside_fps);
    PrintDiagnosis(diagnosis);
    return holds ? 0 : 1;
  } catch (const nlohmann::json::exception& error) {
    FailInput("{}: an incomplete rehearsal: {}", (folder / "rehearsal.json").string(), InPlainWords(error));
  }
}

}  // namespace kettle::app
