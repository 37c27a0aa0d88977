// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/plan.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "commands.h"
#include "kettle/machine/disk.h"
#include "kettle/quality/plane_metrics.h"
#include "kettle/rehearsal/proof.h"
#include "report/card.h"
#include "report/figures.h"

namespace kettle::app {

namespace {

using nlohmann::json;

Proof Prove(Session& session, const Pair& pair, const std::vector<Footage>& footage) {
  session.progress().Stage("proof run", 1);
  ProofRequest request{pair.stream.settings, pair.recording.settings, footage, session.request().proof_seconds,
                       session.out(),        session.scratch()};
  Proof proof = RunProof(session.worker(), request, [&](const std::string&, double share) {
    session.progress().Show(
        fmt::format("stream {}, recording {}, both in real time", pair.stream.title(), pair.recording.title()), share);
  });
  session.progress().Clear();
  return proof;
}

void WriteFigures(const Session& session, const Plan& plan, const std::vector<Option>& stream_options) {
  DrawSpeedQuality(session.out(), stream_options, plan.chosen ? std::optional(plan.chosen->stream) : std::nullopt,
                   plan.capacity.headroom);
  if (plan.proving.attempts.empty()) return;
  DrawProofTimes(session.out(), plan.proving.attempts.back());
  WriteFile(session.out() / "proof.csv", ProofCsv(plan.proving.attempts.back().proof));
}

void PrintAttempts(const Plan& plan) {
  fmt::print("{}\n", Paint("Proof runs, both encodes at once in real time", Tone::kStrong));
  Table table({{"stream"},
               {"recording"},
               Number("cores predicted"),
               Number("late"),
               Number("stream skipped"),
               Number("recording skipped"),
               {"verdict"}});
  for (const Attempt& attempt : plan.proving.attempts) {
    const Proof& proof = attempt.proof;
    const auto skipped = [](const PacedOutputOutcome& o) {
      return Number(fmt::format("{} of {}", o.skipped, o.frames));
    };
    const std::string verdict = proof.holds()                         ? "keeps pace"
                                : proof.status == WorkerStatus::kDone ? "does not keep pace"
                                                                      : proof.detail;
    table.Row({{attempt.pair.stream.title()},
               {attempt.pair.recording.title()},
               Number(fmt::format("{:.2f}", attempt.pair.demand.cpu_cores)),
               Number(fmt::format("{}", proof.late)),
               skipped(proof.stream),
               skipped(proof.recording),
               {verdict, proof.holds() ? Tone::kGood : Tone::kBad}});
  }
  fmt::print("{}", table.str());
  const double stand_in = plan.proving.attempts.back().proof.stand_in_cores;
  if (stand_in > 0)
    fmt::print("  the simulated GPU itself took {:.2f} cores of this machine, which a real card would not\n", stand_in);
  fmt::print("\n");
}

void PrintPlan(const Session& session, const Plan& plan, const Show& show, const TrialBook& book) {
  for (const Role role : {Role::kStream, Role::kRecording}) {
    if (plan.options[static_cast<int>(role)].empty()) continue;
    fmt::print("{}\n{}\n",
               Paint(role == Role::kStream ? "Presets tried for the stream, each alone"
                                           : "Presets tried for the recording, each alone",
                     Tone::kStrong),
               OptionTable(plan.options[static_cast<int>(role)], plan.capacity.headroom).str());
  }
  if (!plan.placement.rejected.empty()) {
    fmt::print("{}\n", Paint("Placements that do not fit", Tone::kStrong));
    for (const RejectedPair& pair : plan.placement.rejected)
      fmt::print("  - stream {}, recording {}: {}\n", pair.stream, pair.recording, pair.why);
    fmt::print("\n");
  }
  if (!plan.proving.attempts.empty()) PrintAttempts(plan);
  fmt::print("{}\n", SettingsCard(plan, show));
  fmt::print(
      "{} trials needed of {} in the whole grid; {} measured now, {} used again.\n"
      "In {}/: card.txt, plan.json, bench.csv{}, and figures as SVG and PNG.\n",
      plan.trials, plan.grid, book.measured(), book.reused(), session.out().string(),
      plan.proving.attempts.empty() ? "" : ", proof.csv, stream.flv, recording.mkv");
}

// A folder that is named on the command line or by a full path is meant; a show's own subfolder may come later.
void CheckRecordingFolder(const Session& session, const Show& show) {
  const std::filesystem::path& folder = show.recording_folder;
  std::error_code error;
  if (session.request().overrides.contains("recording-folder") || folder.is_absolute() ||
      std::filesystem::exists(folder, error))
    CheckWritable(folder);
}

}  // namespace

Table OptionTable(const std::vector<Option>& options, double required_headroom) {
  Table table({{"encoder"},
               {"preset"},
               Number("frames/s"),
               Number("headroom"),
               Number("cores"),
               Number("SSIM"),
               Number("worst second"),
               {"verdict"}});
  for (const Option& option : options) {
    const bool works = option.trouble.empty(), holds = works && option.keeps_pace(required_headroom);
    const auto figure = [&](const std::string& text) {
      return Number(works ? text : "-", holds ? Tone::kPlain : Tone::kDim);
    };
    std::string verdict = holds                 ? "keeps pace"
                          : option.headroom < 0 ? "overload"
                                                : fmt::format("headroom below {:.0f} %", required_headroom * 100);
    if (!works) verdict = option.trouble;
    table.Row({{option.settings.encoder + (option.simulated ? " (simulated)" : "")},
               {option.settings.preset},
               figure(fmt::format("{:.0f}", option.throughput_fps)),
               figure(fmt::format("{:.0f} %", option.headroom * 100)),
               figure(fmt::format("{:.2f}", option.cpu_cores)),
               figure(fmt::format("{:.2f} dB", option.score)),
               figure(fmt::format("{:.2f} dB", SsimDb(option.quality.worst_second_ssim_y))),
               {verdict, holds ? Tone::kGood : Tone::kBad}});
  }
  return table;
}

Show LoadShow(const Session& session) {
  const Places& places = session.places();
  return ReadShow(session.request().show, session.request().overrides, {places.share / "demo" / "destinations", "/"});
}

int RunPlan(Session& session) {
  const Show show = LoadShow(session);
  CheckRecordingFolder(session, show);
  const Targets targets = ChooseTargets(show);
  const std::vector<std::string> families = session.UsableEncoders();
  const std::vector<Footage> footage = session.PrepareAll(show);

  // The search stops early; about this many trials are usual.
  int presets = 0;
  for (const std::string& family : families) presets += static_cast<int>(FindFamily(family).presets.size());
  session.progress().Stage("trials", presets * static_cast<int>(footage.size()) * 3 / 4);
  const bool complete = !session.HasUnfinishedBench();
  TrialBook book(session.runner(), session.KnownTrials(), [&](const std::vector<Trial>& trials) {
    session.KeepTrials(trials, complete);
    session.progress().StepDone();
  });
  const PlanRequest request{
      show, targets, footage, families, session.machine().processor.capacity(), session.request().most_proofs};
  const Plan plan = MakePlan(request, book, [&](const Pair& pair) { return Prove(session, pair, footage); });
  session.progress().Clear();

  session.KeepTrials(book.trials(), complete);
  const json body = plan;
  session.Write("plan", body);
  WriteFile(session.out() / "card.txt", SettingsCard(plan, show));
  WriteFigures(session, plan, KnownOptions(book, targets.stream, footage));
  if (session.request().json)
    fmt::print("{}\n", body.dump(2));
  else
    PrintPlan(session, plan, show, book);
  return plan.chosen ? 0 : 1;
}

}  // namespace kettle::app
