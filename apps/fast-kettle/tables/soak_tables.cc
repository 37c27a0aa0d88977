// SPDX-License-Identifier: Apache-2.0
#include "tables/soak_tables.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "kettle/units/json_fields.h"
#include "report/sentence.h"
#include "tables/bench_tables.h"
#include "terminal.h"

namespace kettle::app {

void to_json(nlohmann::json& json, const SoakResult& result) {
  const Drift drift = result.drift();
  json = {{"simulated", result.simulated},
          {"settings", result.settings},
          {"seconds", result.seconds},
          {"required_headroom", result.required_headroom},
          {"verdict", Name(drift.verdict)},
          {"words", DriftMessage(drift, result.required_headroom)},
          {"first_fps", drift.first_fps},
          {"last_fps", drift.last_fps},
          {"lowest_fps", drift.lowest_fps},
          {"change", drift.change},
          {"noise", drift.noise},
          {"last_headroom", drift.last_headroom},
          {"throttle_events", drift.throttle_events},
          {"disturbed", drift.disturbed},
          {"warnings", result.warnings},
          {"windows", result.windows}};
}

void from_json(const nlohmann::json& json, SoakResult& result) {
  KETTLE_READ_FIELDS(json, result, simulated, settings, seconds, required_headroom, warnings, windows);
}

void PrintSoak(const SoakResult& result, const ResultPlace& place) {
  const EncodeSettings& settings = result.settings;
  const Drift drift = result.drift();
  const Tone tone = drift.verdict == Drift::Verdict::kOverloads ? Tone::kBad
                    : drift.verdict == Drift::Verdict::kUnclear ? Tone::kStrong
                                                                : Tone::kGood;
  fmt::print("{}\n\n", Paint(Alone(Sentence(DriftMessage(drift, result.required_headroom))), tone));
  fmt::print("{} {}{}, {} at {} frames a second, as fast as it goes, {} in {} windows\n", settings.encoder,
             settings.preset, result.simulated ? " (simulated)" : "", settings.size.str(), settings.frame_rate.str(),
             Duration(result.seconds), result.windows.size());
  for (const Message& warning : result.warnings) fmt::print("\n{}\n", Paint("Note: " + Sentence(warning), Tone::kDim));
  if (result.simulated) fmt::print("\n{}", SimulatedNotice());
  fmt::print("\nFigure, soak.csv and soak.json in {}/\n", place.folder.string());
}

}  // namespace kettle::app
