// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/plan.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "figure/capacity_figure.h"
#include "figure/figures.h"
#include "figure/rate_quality.h"
#include "figure/strip.h"
#include "figure/uplink_figures.h"
#include "kettle/load/capture.h"
#include "kettle/machine/advice.h"
#include "kettle/machine/disk.h"
#include "kettle/plan/sound.h"
#include "kettle/rehearsal/proof.h"
#include "kettle/units/error.h"
#include "report/card.h"
#include "tables/plan_tables.h"

namespace kettle::app {

namespace {

using nlohmann::json;

// Runs pairs in real time. Each run's files go to a folder of its own: which run stands shows only in the end.
class Prover {
 public:
  Prover(Session& session, const std::vector<Footage>& footage, First first)
      : session_(session), footage_(footage), first_(first) {}

  Proof operator()(const Pair& pair) {
    constexpr double kStartSeconds = 1;  // until both encoders are open
    session_.progress().Stage("proof run", 1);
    session_.MeetBusiestLoad(session_.request().proof_seconds + 2 * kStartSeconds);
    const std::filesystem::path folder = session_.scratch() / fmt::format("proof-{}", ++runs_);
    std::filesystem::create_directories(folder);
    const ProofRequest request{pair.stream.settings,
                               pair.recording.settings,
                               footage_,
                               session_.request().proof_seconds,
                               folder,
                               session_.scratch(),
                               pair.cores.stream,
                               pair.cores.recording,
                               first_};
    Proof proof = RunProof(session_.worker(), request, [&](const std::string&, double share) {
      session_.progress().Show(
          fmt::format("stream {}, recording {}, both in real time", pair.stream.title(), pair.recording.title()),
          share);
    });
    session_.progress().Clear();
    // The declared load is no other program.
    if (session_.load()) proof.other_cores = std::max(0.0, proof.other_cores - session_.load()->profile().mean_cores());
    MakeRoom(proof);
    return proof;
  }

 private:
  // Long runs are large: only what may still be taken is kept.
  void MakeRoom(const Proof& latest) {
    std::error_code ignored;
    if (!failed_.empty()) std::filesystem::remove_all(failed_, ignored);
    failed_ = latest.holds() ? std::filesystem::path() : latest.folder;
  }

  Session& session_;
  const std::vector<Footage>& footage_;
  First first_;
  int runs_ = 0;
  std::filesystem::path failed_;  // the latest run's files, if it did not hold
};

std::string Short(const Option& option) {
  const std::string extras = Extras(option.settings);
  return fmt::format("{} {}, {} at {}{}{}", option.settings.encoder, option.settings.preset, option.settings.size.str(),
                     option.settings.frame_rate.str(), extras.empty() ? "" : ", " + extras,
                     option.simulated ? " (simulated GPU)" : "");
}

// worst-second.png: the chosen stream beside its runner-up, on the clip where it looks worst.
void DrawWorstSecond(Session& session, const Plan& plan, const std::vector<Footage>& footage) {
  if (!plan.chosen || !plan.runner_up) return;
  const Option& chosen = plan.chosen->stream;
  const auto worst = std::min_element(chosen.clips.begin(), chosen.clips.end(), [](const auto& a, const auto& b) {
    return a.worst_second_score < b.worst_second_score;
  });
  const auto pictures =
      std::find_if(footage.begin(), footage.end(), [&](const Footage& f) { return f.label == worst->footage; });
  if (pictures == footage.end()) return;
  const std::filesystem::path folder = session.scratch();
  StripTask task{pictures->file.string(), {}, {}, chosen.quality.viewing_size, 0, 0, folder.string()};
  for (const Option* option : {&chosen, &*plan.runner_up}) {
    task.encoded.push_back((folder / fmt::format("strip-{}.mkv", task.encoded.size())).string());
    task.encoded_rates.push_back(option->settings.frame_rate);
    session.progress().Show("encoding the worst second of " + option->title(), 0);
    session.runner().Encode(option->settings, *pictures, task.encoded.back());
  }
  task.frames = static_cast<int>(std::lround(pictures->rate.fps()));
  task.first_frame = worst->worst_second * task.frames;
  const StripOutcome strip = session.runner().Strip(task);
  session.progress().Clear();
  DrawStrip(
      session.out(), strip,
      {fmt::format("The worst second of {}, as the stream shows it", worst->footage),
       fmt::format("at {}; whole, and enlarged where chosen and runner-up differ most", chosen.settings.bit_rate.str()),
       {{"source", fmt::format("{}, {} frames a second", pictures->size.str(), pictures->rate.str())},
        {"chosen", Short(chosen)},
        {plan.runner_up->score > chosen.score ? "better alone, not taken" : "runner-up", Short(*plan.runner_up)}},
       pictures->rate,
       task.viewing_size});
}

void DrawFigures(Session& session, const Plan& plan, const std::vector<Footage>& footage,
                 const std::vector<Option>& stream_options) {
  session.Draw([&] { DrawWorstSecond(session, plan, footage); });
  session.Draw([&] { DrawPictures(session.out(), plan.pictures, plan.targets.stream); });
  session.Draw([&] {
    DrawSpeedQuality(session.out(), stream_options, plan.chosen ? std::optional(plan.chosen->stream) : std::nullopt,
                     plan.capacity.headroom);
  });
  if (plan.proving.attempts.empty()) return;
  session.Draw([&] { DrawProofTimes(session.out(), plan.proving.attempts.back()); });
  session.Draw([&] { DrawCapacity(session.out(), plan); });
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

// A folder that is named on the command line or by a full path is meant; a show's own subfolder may come later.
void CheckRecordingFolder(const Show& show) {
  std::error_code error;
  if (show.recording_folder_exists || std::filesystem::exists(show.recording_folder, error))
    CheckWritable(show.recording_folder);
}

// What a rehearsal needs to know of the show.
json ShowJson(const Session& session, const Show& show, const Plan& plan, double cpu_cores) {
  json footage = json::array();
  for (const std::string& source : show.footage)
    footage.push_back(IsScene(source) ? source : std::filesystem::absolute(source).string());
  return {{"source_size", show.source_size.str()},
          {"frame_rate", show.source_rate.str()},
          {"footage", footage},
          {"footage_seconds", session.request().footage_seconds},
          {"container", show.recording_container},
          {"audio_kbps", plan.targets.audio.kbps()},
          {"cpu_cores", cpu_cores}};
}

// Where the recordings will go: how much it holds, how fast it takes them.
Disk MeasureDisk(Session& session, const Show& show, Targets& targets) {
  constexpr double kSeconds = 1;
  session.progress().Stage("writing to the recordings' disk", 1);
  Disk disk = ReadDisk(show.recording_folder);
  try {
    disk.write_rate = session.MeasureWriteRate(show.recording_folder, kSeconds);
  } catch (const Error& error) {
    if (error.fault() == Fault::kInterrupted) throw;
    targets.warnings.push_back(fmt::format("the disk's write rate was not measured: {}", error.what()));
  }
  session.progress().Clear();
  return disk;
}

// What both encodes may use, under the load that runs by now.
Capacity MeasureCapacity(const Session& session, const Show& show, const Disk& disk) {
  Capacity capacity{session.machine().processor.capacity(), show.required_headroom};
  if (session.load())
    capacity.cpu_cores = std::max(0.1, capacity.cpu_cores - session.load()->profile().peak_second_cores());
  capacity.memory_bytes_per_second = 2 * ProbeMemory();  // a copy reads and writes
  if (disk.write_rate) capacity.disk_bytes_per_second = disk.write_rate->slowest_bytes_per_second;
  return capacity;
}

void CheckColours(const Session& session, const std::vector<Footage>& footage, Plan& plan) {
  if (!plan.chosen) return;
  plan.colour = CheckColour(footage.front().file, session.out() / "stream.flv", session.out() / "recording.mkv",
                            plan.targets.recording.frame_rate, SteadyClock());
  for (const std::string& stray : plan.colour->strays)
    plan.targets.warnings.push_back(fmt::format(
        "the {} says something else of its colours than the source: shown so they are wrong by {:.1f} grey levels in "
        "the mean, {:.0f} at most",
        stray, plan.colour->error.mean, plan.colour->error.most));
}

}  // namespace

Show LoadShow(const Session& session) {
  const Places& places = session.places();
  return ReadShow(session.request().show, session.request().overrides, {places.share / "demo" / "destinations", "/"});
}

int RunPlan(Session& session) {
  const Show show = LoadShow(session);
  CheckRecordingFolder(show);
  Targets targets = ChooseTargets(show);
  ChooseSound(show, session.machine().audio, targets);
  const std::vector<std::string> families = session.UsableEncoders();
  const std::vector<Footage> footage = session.PrepareAll(show);
  std::optional<LineAnswer> line;
  if (targets.budget) {
    line = AskTheLine(session, show, *targets.budget, footage.front(), targets.stream.bit_rate, {1});
    ApplyRateChoice(line->choice, !show.stream_bit_rate, targets);
  }
  const std::vector<Footage> calm = session.PrepareCalm(show, footage);
  const Disk disk = MeasureDisk(session, show, targets);
  if (!show.load.empty()) {
    session.StartLoad(show.load);
    targets.warnings.push_back("measured and proven under a load: " + session.load()->words());
  }
  if (show.first == First::kStream)
    targets.warnings.push_back(
        "the stream goes before the game, as asked: where processors run short, the game stutters");
  for (const std::string& note : session.FootageNotes()) targets.warnings.push_back(note);

  // The search stops early; about this many trials are usual.
  int presets = 0;
  for (const std::string& family : families) presets += static_cast<int>(FindFamily(family).presets.size());
  const SearchSpace space = SpaceOf(targets, families);
  const bool searches = space.sizes.size() * space.rates.size() > 1;
  const int usual = (presets * 3 / 4 + (searches ? 12 : 0)) * static_cast<int>(footage.size());
  session.progress().Stage("trials", session.request().exhaustive ? GridSize(space, footage.size()) + usual : usual);
  session.SetBenchAside();
  TrialKeeper keep(session, !session.HasUnfinishedBench());
  TrialBook book(session.runner(), session.KnownTrials(), std::ref(keep));
  const PlanRequest request{show,
                            targets,
                            footage,
                            families,
                            MeasureCapacity(session, show, disk),
                            session.request().most_proofs,
                            session.UsableDevices(),
                            session.EncodesAtOnce(families),
                            session.machine().processor.usable,
                            calm};
  std::optional<GridCheck> check;
  Plan plan;
  try {
    if (session.request().exhaustive) check = CheckAgainstGrid(space, footage, show.required_headroom, book);
    Prover prover(session, footage, show.first);
    plan = MakePlan(request, book, std::ref(prover));
  } catch (...) {
    keep.Keep(book.trials());
    throw;
  }
  if (!plan.proving.attempts.empty() && !plan.proving.attempts.back().proof.folder.empty())
    for (const char* file : {"stream.flv", "recording.mkv"})
      Publish(plan.proving.attempts.back().proof.folder / file, session.out() / file);
  if (plan.chosen) {
    plan.disk = disk;
    for (const std::string& advice : DiskAdvice(disk, plan.recording_rate(), show.recording_hours))
      plan.targets.warnings.push_back(advice);
  }
  CheckColours(session, footage, plan);
  session.progress().Clear();

  keep.Keep(book.trials());
  if (session.load()) session.load()->CheckStillThere();
  json body = plan;
  if (check) body["exhaustive"] = *check;
  if (line) body["rate_control"] = line->choice;
  body["show"] = ShowJson(session, show, plan, session.machine().processor.capacity());
  body["load"] = session.load() ? session.load()->json() : json();
  session.Write("plan", body);
  WriteFile(session.out() / "card.txt", SettingsCard(plan, show));
  if (!plan.proving.attempts.empty())
    WriteFile(session.out() / "proof.csv", ProofCsv(plan.proving.attempts.back().proof));
  if (line) session.Draw([&] { DrawLine(session.out(), line->line, *targets.budget, line->choice); });
  DrawFigures(session, plan, footage, KnownOptions(book, plan.targets.stream, footage));
  if (session.request().json)
    PrintJson(body);
  else {
    if (check) PrintGridCheck(*check);
    PrintPlan(session, plan, show, book);
  }
  return plan.verdict() == PlanVerdict::kHolds ? 0 : 1;
}

}  // namespace kettle::app
