// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/plan.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>
#include <nlohmann/json.hpp>

#include "commands.h"
#include "kettle/load/capture.h"
#include "kettle/machine/advice.h"
#include "kettle/machine/disk.h"
#include "kettle/planning/sound.h"
#include "kettle/rehearsal/proof.h"
#include "kettle/units/error.h"
#include "report/capacity_figure.h"
#include "report/card.h"
#include "report/figures.h"
#include "report/rate_quality.h"
#include "report/strip.h"
#include "report/uplink_figures.h"
#include "report/wrap.h"

namespace kettle::app {

namespace {

using nlohmann::json;

// Where the run with divided processors writes: it may not be the one that is taken.
std::filesystem::path DividedFolder(const Session& session) {
  const std::filesystem::path folder = session.scratch() / "divided";
  std::filesystem::create_directories(folder);
  return folder;
}

Proof Prove(Session& session, const Pair& pair, const std::vector<Footage>& footage) {
  constexpr double kStartSeconds = 1;  // until both encoders are open
  session.progress().Stage("proof run", 1);
  session.MeetBusiestLoad(session.request().proof_seconds + 2 * kStartSeconds);
  const std::filesystem::path folder = pair.cores.divided() ? DividedFolder(session) : session.out();
  ProofRequest request{pair.stream.settings,
                       pair.recording.settings,
                       footage,
                       session.request().proof_seconds,
                       folder,
                       session.scratch(),
                       pair.cores.stream,
                       pair.cores.recording};
  Proof proof = RunProof(session.worker(), request, [&](const std::string&, double share) {
    session.progress().Show(
        fmt::format("stream {}, recording {}, both in real time", pair.stream.title(), pair.recording.title()), share);
  });
  session.progress().Clear();
  // The declared load is no other program.
  if (session.load()) proof.other_cores = std::max(0.0, proof.other_cores - session.load()->profile().mean_cores());
  return proof;
}

void WriteFigures(const Session& session, const Plan& plan, const std::vector<Option>& stream_options) {
  DrawSpeedQuality(session.out(), stream_options, plan.chosen ? std::optional(plan.chosen->stream) : std::nullopt,
                   plan.capacity.headroom);
  if (plan.proving.attempts.empty()) return;
  DrawProofTimes(session.out(), plan.proving.attempts.back());
  DrawCapacity(session.out(), plan);
  WriteFile(session.out() / "proof.csv", ProofCsv(plan.proving.attempts.back().proof));
}

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

void PrintAttempts(const Plan& plan) {
  fmt::print("{}\n", Paint("Proof runs, both encodes at once in real time", Tone::kStrong));
  Table table({{"stream"},
               {"recording"},
               Number("cores predicted"),
               Number("measured"),
               Number("late"),
               Number("stream skipped"),
               Number("recording skipped"),
               {"verdict"}});
  for (const Attempt& attempt : plan.proving.attempts) {
    const Proof& proof = attempt.proof;
    const auto skipped = [](const PacedOutputOutcome& o) {
      return Number(fmt::format("{} of {}", o.skipped, o.frames));
    };
    const bool roomy = attempt.has_room(plan.capacity);
    const std::string verdict = proof.holds()                         ? roomy ? "keeps pace" : "keeps pace, too tightly"
                                : proof.status == WorkerStatus::kDone ? "does not keep pace"
                                                                      : proof.detail;
    table.Row({{attempt.pair.stream.title()},
               {attempt.pair.recording.title()},
               Number(fmt::format("{:.2f}", attempt.pair.demand.cpu_cores)),
               Number(fmt::format("{:.2f}", proof.cpu_cores + proof.stand_in_cores)),
               Number(fmt::format("{}", proof.late)),
               skipped(proof.stream),
               skipped(proof.recording),
               {verdict, proof.holds() && roomy ? Tone::kGood : Tone::kBad}});
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
  fmt::print(
      "{}\n  grid    {} trials, {:.0f} s of encoding: {}\n  search  {} trials, {:.0f} s of encoding ({:.1f} %): {}\n"
      "  The search's choice looks {:.2f} dB worse.\n\n",
      Paint("The whole grid, and the search among the same trials", Tone::kStrong), check.grid_trials,
      check.grid_encode_seconds, Described(check.grid_best), check.search_trials, check.search_encode_seconds,
      check.encode_share() * 100, Described(check.search_best), check.loss_db());
}

// The chosen stream on each clip: the plan goes by the one where it looks worst.
void PrintClips(const Plan& plan) {
  if (!plan.chosen) return;
  std::vector<ClipResult> clips = plan.chosen->stream.clips;
  clips.insert(clips.end(), plan.calm.begin(), plan.calm.end());
  if (clips.size() < 2) return;
  fmt::print("{}\n", Paint("The chosen stream, clip by clip", Tone::kStrong));
  Table table({{"footage"}, Number("frames/s"), Number("headroom"), Number("MS-SSIM"), Number("worst second")});
  for (const ClipResult& clip : clips)
    table.Row({{clip.footage},
               Number(fmt::format("{:.0f}", clip.throughput_fps)),
               Number(fmt::format("{:.0f} %", clip.headroom * 100)),
               Number(fmt::format("{:.2f} dB", clip.score)),
               Number(fmt::format("{:.2f} dB", clip.worst_second_score))});
  fmt::print("{}\n", table.str());
}

void PrintLadder(const Plan& plan) {
  if (plan.ladder.empty()) return;
  fmt::print("{}\n", Paint("If the line does not hold: what to give up, in this order", Tone::kStrong));
  Table table({{"step"}, Number("saves"), Number("costs"), Number("headroom")});
  for (const LadderStep& step : plan.ladder)
    table.Row({{step.what},
               Number(fmt::format("{:.0f} kbit/s", step.saves_kbps)),
               Number(fmt::format("{:.2f} dB", step.costs_db)),
               Number(fmt::format("{:.0f} %", step.headroom * 100))});
  fmt::print("{}\n", table.str());
}

void PrintEncodeEach(const Plan& plan) {
  if (!plan.each) return;
  fmt::print("{}\n", Paint("One encode for all destinations, or one for each", Tone::kStrong));
  Table table({{"destination"}, Number("one for all"), Number("MS-SSIM"), Number("one for each"), Number("MS-SSIM")});
  const Option& one = plan.chosen->stream;
  const auto kbps = [](const Option& option) {
    return Number(fmt::format("{:.0f} kbit/s", option.settings.bit_rate.kbps()));
  };
  const auto score = [](const Option& option) { return Number(fmt::format("{:.2f} dB", option.score)); };
  for (const EncodeEach::Encode& encode : plan.each->encodes)
    table.Row({{encode.destination}, kbps(one), score(one), kbps(encode.option), score(encode.option)});
  fmt::print("{}  An encode each takes {:.2f} cores more, with the recording {:.2f} of {:g} (predicted): {}.\n\n",
             table.str(), plan.each->more_cores(), plan.each->demand.cpu_cores, plan.capacity.cpu_cores,
             plan.each->demand.fits ? "the machine has room for it; the plan keeps one for all"
                                    : "too much for this machine with its headroom");
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
      table.Row({{tried.size.str(), tone},
                 Number(tried.rate.str(), tone),
                 {"-", tone},
                 {"-", tone},
                 Number("-", tone),
                 Number("-", tone),
                 {"nothing keeps pace", Tone::kBad}});
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
  PrintClips(plan);
  PrintEncodeEach(plan);
  PrintLadder(plan);
  if (!plan.placement.rejected.empty()) {
    fmt::print("{}\n", Paint("Placements that do not fit", Tone::kStrong));
    for (const RejectedPair& pair : plan.placement.rejected)
      fmt::print("  - {}\n",
                 Wrap(fmt::format("stream {}, recording {}: {}", pair.stream, pair.recording, pair.why), 4, 4, 110));
    fmt::print("\n");
  }
  if (!plan.proving.attempts.empty()) PrintAttempts(plan);
  fmt::print("{}\n", SettingsCard(plan, show));
  fmt::print(
      "{} trials needed of {} in the whole grid{}; {} measured now, {} used again.\n"
      "In {}/: card.txt, plan.json, bench.csv, quality.csv{}, and figures as SVG and PNG.\n",
      plan.trials, plan.grid,
      plan.recording_level ? fmt::format(", {} more for the recording's level", plan.recording_level->steps.size())
                           : "",
      book.measured(), book.reused(), session.out().string(),
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

// The nearest folder that is there: a show's own subfolder may come later.
std::filesystem::path Existing(std::filesystem::path folder) {
  folder = std::filesystem::absolute(folder);
  std::error_code error;
  while (folder.has_relative_path() && !std::filesystem::is_directory(folder, error)) folder = folder.parent_path();
  return folder;
}

// Where the recordings will go: how much it holds, how fast it takes them.
Disk MeasureDisk(Session& session, const Show& show, Targets& targets) {
  constexpr double kSeconds = 1;
  session.progress().Stage("writing to the recordings' disk", 1);
  Disk disk = ReadDisk(show.recording_folder);
  try {
    disk.write_rate = MeasureWriteRate(Existing(show.recording_folder), {kSeconds}, SteadyClock(), &StopRequested());
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
               {option.settings.preset +
                (option.settings.quality_level ? fmt::format(" at level {}", *option.settings.quality_level) : "")},
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
  for (const std::string& note : session.FootageNotes()) targets.warnings.push_back(note);

  // The search stops early; about this many trials are usual.
  int presets = 0;
  for (const std::string& family : families) presets += static_cast<int>(FindFamily(family).presets.size());
  const SearchSpace space = SpaceOf(targets, families);
  const bool searches = space.sizes.size() * space.rates.size() > 1;
  const int usual = (presets * 3 / 4 + (searches ? 12 : 0)) * static_cast<int>(footage.size());
  session.progress().Stage("trials", session.request().exhaustive ? GridSize(space, footage.size()) + usual : usual);
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
    plan = MakePlan(request, book, [&](const Pair& pair) { return Prove(session, pair, footage); });
  } catch (...) {
    keep.Keep(book.trials());
    throw;
  }
  if (plan.chosen && plan.chosen->cores.divided())
    for (const char* file : {"stream.flv", "recording.mkv"})
      Publish(DividedFolder(session) / file, session.out() / file);
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
  if (line) {
    body["rate_control"] = line->choice;
    DrawLine(session.out(), line->line, *targets.budget, line->choice);
  }
  body["show"] = ShowJson(session, show, plan, session.machine().processor.capacity());
  body["load"] = session.load() ? session.load()->json() : json();
  session.Write("plan", body);
  WriteFile(session.out() / "card.txt", SettingsCard(plan, show));
  DrawWorstSecond(session, plan, footage);
  DrawPictures(session.out(), plan.pictures, plan.targets.stream);
  WriteFigures(session, plan, KnownOptions(book, plan.targets.stream, footage));
  if (session.request().json)
    fmt::print("{}\n", body.dump(2));
  else {
    if (check) PrintGridCheck(*check);
    PrintPlan(session, plan, show, book);
  }
  return plan.verdict() == PlanVerdict::kHolds ? 0 : 1;
}

}  // namespace kettle::app
