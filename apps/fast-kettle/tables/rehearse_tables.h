// SPDX-License-Identifier: Apache-2.0
// What rehearse prints.
#pragma once

#include "kettle/diagnosis/climb.h"
#include "kettle/diagnosis/diagnosis.h"
#include "kettle/plan/plan_file.h"
#include "kettle/rehearsal/rehearsal.h"
#include "session/session.h"
#include "surroundings/stand_in.h"
#include "tables/result_place.h"

namespace kettle::app {

// All that is told of a rehearsal.
struct RehearsalResult {
  std::string title, card;  // the plan's, and where its settings card lies
  EncodeSettings stream, recording;
  First first = First::kGame;
  bool simulated_gpu = false;
  std::string load;  // in words; empty: none
  RehearsalOutcome outcome;
  DiagnosisFacts facts;
  std::optional<Climb> climb;
  std::vector<EncodeSettings> further_streams;  // RehearsalTask::further_streams

  // No frame of either output was lost, and the game keeps its own.
  bool holds() const { return outcome.holds() && !facts.GameLosesTooMuch(); }
  bool has_simulated_game() const { return facts.game && facts.game->simulated; }
};

void to_json(nlohmann::json& json, const RehearsalResult& result);
void from_json(const nlohmann::json& json, RehearsalResult& result);

// What of a rehearsal was a stand-in, a line each; nothing if all was real.
void PrintSimulated(bool gpu, bool ingest, bool game);
void PrintRehearsal(const RehearsalResult& result, const Diagnosis& diagnosis, const ResultPlace& place);
void PrintDiagnosis(const Diagnosis& diagnosis);
// The settings card of the folder's plan.json, and below it what was lost and what the encodes take from the game, in
// its card.txt; false if an earlier version made the plan, which tells less.
bool WriteRehearsedCard(const std::filesystem::path& folder, const RehearsalResult& result, const Diagnosis& diagnosis);

// What a killed run left of each recording: a table, and power-cut.json. The exit code.
int TellPowerCut(Session& session, const RehearsalTask& task);

}  // namespace kettle::app
