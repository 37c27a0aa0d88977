// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/plan.h"

#include <fmt/format.h>

#include <chrono>
#include <functional>
#include <nlohmann/json.hpp>

#include "commands.h"
#include "kettle/machine/disk.h"
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

// Keeps each new trial at once, unless writing all of them again would take a tenth of the time.
class TrialKeeper {
 public:
  TrialKeeper(Session& session, bool complete) : session_(session), complete_(complete) {}
  void operator()(const std::vector<Trial>& trials) {
    const auto now = std::chrono::steady_clock::now();
    if (now - kept_ >= 10 * took_) Keep(trials);
    session_.progress().StepDone();
  }
  void Keep(const std::vector<Trial>& trials) {
    const auto start = std::chrono::steady_clock::now();
    session_.KeepTrials(trials, complete_);
    kept_ = std::chrono::steady_clock::now();
    took_ = kept_ - start;
  }

 private:
  Session& session_;
  const bool complete_;
  std::chrono::steady_clock::time_point kept_{};
  std::chrono::steady_clock::duration took_{};
};

std::string Described(const std::optional<Option>& option) {
  if (!option) return "nothing that keeps pace";
  return fmt::format("{} at {} and {} frames a second, {:.2f} dB", option->title(), option->settings.size.str(),
                     option->settings.frame_rate.str(), option->score);
}

void PrintGridCheck(const GridCheck& check) {
  fmt::print("{}\n  grid    {} trials, {:.0f} s of encoding: {}\n  search  {} trials, {:.0f} s of encoding ({:.1f} %): {}\n"
             "  The search's choice looks {:.2f} dB worse.\n\n",
             Paint("The whole grid, and the search among the same trials", Tone::kStrong), check.grid_trials,
             check.grid_encode_seconds, Described(check.grid_best), check.search_trials, check.search_encode_seconds,
             check.encode_share() * 100, Described(check.search_best), check.loss_db());
}

void PrintPictures(const Plan& plan) {
  if (plan.pictures.empty()) return;
  fmt::print("{}\n", Paint("Sizes and frame rates tried for the stream, each with the best preset that keeps pace",
                           Tone::kStrong));
  Table table({{"size"}, Number("frame rate"), {"encoder"}, {"preset"}, Number("headroom"), Number("MS-SSIM"), {""}});
  for (const TriedPicture& tried : plan.pictures) {
    const bool taken = tried.size == plan.targets.stream.size && tried.rate == plan.targets.stream.frame_rate;
    const Tone tone = taken ? Tone::kGood : tried.best ? Tone::kPlain : Tone::kDim;
    if (!tried.best) {
      table.Row({{tried.size.str(), tone}, Number(tried.rate.str(), tone), {"-", tone}, {"-", tone}, Number("-", tone),
                 Number("-", tone), {"nothing keeps pace", Tone::kBad}});
      continue;
    }
    const Option& best = *tried.best;
    table.Row({{tried.size.str(), tone},
               Number(tried.rate.str(), tone),
               {best.settings.encoder + (best.simulated ? " (simulated)" : ""), tone},
               {best.settings.preset, tone},
               Number(fmt::format("{:.0f} %", best.headroom * 100), tone),
               Number(fmt::format("{}{:.2f} dB", best.measured ? "" : "<= ", best.score), tone),
               {taken ? "taken" : "", tone}});
  }
  fmt::print("{}\n", table.str());
}

void PrintPlan(const Session& session, const Plan& plan, const Show& show, const TrialBook& book) {
  PrintPictures(plan);
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
               Number("MS-SSIM"),
               Number("worst second"),
               {"verdict"}});
  for (const Option& option : options) {
    const bool works = option.trouble.empty(), holds = works && option.keeps_pace(required_headroom);
    const auto figure = [&](const std::string& text, bool known = true) {
      return Number(works && known ? text : "-", holds ? Tone::kPlain : Tone::kDim);
    };
    const bool seen = option.score > 0;
    std::string verdict = holds                 ? "keeps pace"
                          : option.headroom < 0 ? "overload"
                                                : fmt::format("headroom below {:.0f} %", required_headroom * 100);
    if (!works) verdict = option.trouble;
    table.Row({{option.settings.encoder + (option.simulated ? " (simulated)" : "")},
               {option.settings.preset},
               figure(fmt::format("{:.0f}", option.throughput_fps)),
               figure(fmt::format("{:.0f} %", option.headroom * 100)),
               figure(fmt::format("{:.2f}", option.cpu_cores)),
               figure(fmt::format("{:.2f} dB", option.score), seen),
               figure(fmt::format("{:.2f} dB", option.quality.worst_second_score()), seen),
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
  const SearchSpace space = SpaceOf(targets, families);
  const bool searches = space.sizes.size() * space.rates.size() > 1;
  const int usual = (presets * 3 / 4 + (searches ? 12 : 0)) * static_cast<int>(footage.size());
  session.progress().Stage("trials", session.request().exhaustive ? GridSize(space, footage.size()) + usual : usual);
  TrialKeeper keep(session, !session.HasUnfinishedBench());
  TrialBook book(session.runner(), session.KnownTrials(), std::ref(keep));
  const PlanRequest request{
      show, targets, footage, families, session.machine().processor.capacity(), session.request().most_proofs};
  std::optional<GridCheck> check;
  Plan plan;
  try {
    if (session.request().exhaustive)
      check = CheckAgainstGrid(space, footage, show.required_headroom, book);
    plan = MakePlan(request, book, [&](const Pair& pair) { return Prove(session, pair, footage); });
  } catch (...) {
    keep.Keep(book.trials());
    throw;
  }
  session.progress().Clear();

  keep.Keep(book.trials());
  json body = plan;
  if (check) body["exhaustive"] = *check;
  session.Write("plan", body);
  WriteFile(session.out() / "card.txt", SettingsCard(plan, show));
  WriteFigures(session, plan, KnownOptions(book, plan.targets.stream, footage));
  if (session.request().json)
    fmt::print("{}\n", body.dump(2));
  else {
    if (check) PrintGridCheck(*check);
    PrintPlan(session, plan, show, book);
  }
  return plan.chosen ? 0 : 1;
}

}  // namespace kettle::app
