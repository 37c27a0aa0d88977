// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <functional>
#include <nlohmann/json.hpp>
#include <optional>

#include "commands/commands.h"
#include "commands/plan_figures.h"
#include "commands/plan_prover.h"
#include "figure/uplink_figures.h"
#include "kettle/load/capture.h"
#include "kettle/machine/advice.h"
#include "kettle/machine/disk.h"
#include "kettle/plan/sound.h"
#include "kettle/planner/make_plan.h"
#include "kettle/planner/pair_check.h"
#include "kettle/units/error.h"
#include "past_runs/keep_run.h"
#include "report/card.h"
#include "report/card_json.h"
#include "report/looks.h"
#include "session/usable_encoders.h"
#include "tables/check_tables.h"
#include "tables/plan_tables.h"

namespace kettle::app {

namespace {

using nlohmann::json;

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
    session_.trials().Keep(trials, complete_, session_.footage().all());
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
  if (show.recording_is_none) return;
  std::error_code error;
  if (show.recording_folder_exists || std::filesystem::exists(show.recording_folder, error))
    CheckWritable(show.recording_folder);
}

// What a rehearsal needs to know of the show.
json ShowJson(const Session& session, const Show& show, const Plan& plan, double cpu_cores) {
  json footage = json::array();
  for (const std::string& source : show.footage)
    footage.push_back(IsScene(source) ? source : std::filesystem::absolute(source).string());
  json destinations = json::array();
  for (const Destination& to : show.destinations) destinations.push_back(to.name);
  return {{"source_size", show.source_size.str()},
          {"frame_rate", show.source_rate.str()},
          {"footage", footage},
          {"footage_seconds", session.request().footage_seconds},
          {"container", show.recording_container},
          {"keep_last_seconds", show.keep_last_seconds},
          {"destinations", destinations},
          {"audio_kbps", plan.targets.audio.kbps()},
          {"cpu_cores", cpu_cores}};
}

// Where the recordings will go: how much it holds, how fast it takes them.
Disk MeasureDisk(Session& session, const Show& show, Targets& targets) {
  constexpr double kSeconds = 1;
  session.progress().Stage("writing to the recordings' disk", 1);
  Disk disk = ReadDisk(show.recording_folder);
  try {
    disk.write_rate = session.disk_rates().Measure(show.recording_folder, kSeconds);
  } catch (const Error& error) {
    if (error.fault() == Fault::kInterrupted) throw;
    targets.warnings.push_back(Message{"disk.not-measured", {{"error", error.what()}}});
  }
  session.progress().Clear();
  return disk;
}

// What both encodes may use, under the load that runs by now.
Capacity MeasureCapacity(const Session& session, const Show& show, const Disk& disk) {
  Capacity capacity{session.machine().processor.capacity(), show.required_headroom};
  capacity.real_time_factor = kUsualRealTimeFactor;
  if (session.load()) {
    const LoadProfile& load = session.load()->profile();
    capacity.cpu_cores = std::max(0.1, capacity.cpu_cores - load.peak_second_cores());
    if (const LoadProfile::Gpu* card = load.game_card()) {
      capacity.game_card = card->bus_address;
      capacity.copy_bytes_per_second = ProbeCopy(static_cast<std::size_t>(show.source_size.pixels() * 3 / 2));
    }
  }
  capacity.memory_bytes_per_second = 2 * ProbeMemory();  // a copy reads and writes
  if (disk.write_rate) capacity.disk_bytes_per_second = disk.write_rate->slowest_bytes_per_second;
  return capacity;
}

// What is known before the search begins.
struct Preparation {
  Show show;
  Targets targets;
  std::vector<std::string> families, recording_families;
  std::vector<OwnStream> own_streams = {};
  std::vector<Footage> footage;
  std::map<std::string, Footage> calm;
  std::optional<LineAnswer> line;
  Disk disk;
};

void AddWarnings(Session& session, const Show& show, Targets& targets) {
  if (session.load()) targets.warnings.push_back(Message{"plan.under-load", {{"load", session.load()->words()}}});
  if (show.first == First::kStream) targets.warnings.push_back(Message{"plan.stream-first"});
  for (const Message& note : session.footage().Notes()) targets.warnings.push_back(note);
}

// The part of the video that the line carries which is the one stream's, where others get encodes of their own; 0: each
// destination's alike.
double ShareOfTheLine(const Targets& targets) {
  double all = 0;
  for (const RecipientShare& share : targets.budget->each) all += share.video_kbps;
  return targets.served.empty() || all <= 0 ? 0 : targets.stream.bit_rate.kbps() / all;
}

// Measures the line and the disk, and starts the load: what comes after this is measured under it.
Preparation Prepare(Session& session) {
  Show show = LoadShow(session);
  CheckRecordingFolder(show);
  Targets targets = ChooseTargets(show);
  ChooseSound(show, session.machine().audio, targets);
  std::vector<std::string> recording_families = RecordingEncoders(session, show);
  std::vector<Footage> footage = session.footage().PrepareAll(show);
  std::optional<LineAnswer> line;
  if (targets.budget) {
    line = AskTheLine(session, show, *targets.budget, footage.front(), targets.stream.bit_rate, {1}, std::nullopt,
                      ShareOfTheLine(targets));
    ApplyRateChoice(line->choice, !show.stream_bit_rate, targets);
  }
  std::vector<std::string> families = StreamEncoders(session, show, targets.stream_codecs, targets.stream.rate_control);
  std::map<std::string, Footage> calm = session.footage().PrepareCalm(show);
  Disk disk = show.recording_is_none ? Disk() : MeasureDisk(session, show, targets);
  if (!show.load.empty()) session.StartLoad(show.load);
  AddWarnings(session, show, targets);
  return {
      std::move(show), std::move(targets), std::move(families), std::move(recording_families), {}, std::move(footage),
      std::move(calm), std::move(line),    std::move(disk)};
}

const char* NameOf(PlanStage stage) {
  switch (stage) {
    case PlanStage::kPicture: return "finding size and frame rate";
    case PlanStage::kPlacement: return "fitting stream and recording together";
    case PlanStage::kRecordingLevel: return "finding the recording's quality level";
    case PlanStage::kProof: return "proof run";
    case PlanStage::kEncodeEach: return "trying an encode for each destination";
    case PlanStage::kBesides: return "looking for what to lower when the line drops";
  }
  return "";
}

// "x264 veryfast, 854x480 at 60: looks fair (41 of 100)"
std::string InShort(const Option& option) {
  return fmt::format("{}, {} at {}: {}", option.title(), option.settings.size.str(), option.settings.frame_rate.str(),
                     Looks(option.score));
}

// The encoders of both, each once, in the catalogue's order.
std::vector<std::string> AllOf(const Preparation& known) {
  std::vector<std::string> all;
  for (const EncoderFamily& family : Catalogue())
    for (const auto* names : {&known.families, &known.recording_families})
      if (std::find(names->begin(), names->end(), family.name) != names->end() &&
          std::find(all.begin(), all.end(), family.name) == all.end())
        all.push_back(family.name);
  return all;
}

// The search stops early; about this many trials are usual.
int UsualTrials(const Preparation& known, const SearchSpace& space) {
  int presets = 0;
  for (const std::string& family : AllOf(known)) presets += static_cast<int>(FindFamily(family).presets.size());
  const bool searches = space.sizes.size() * space.rates.size() > 1;
  return (presets * 3 / 4 + (searches ? 12 : 0)) * static_cast<int>(known.footage.size());
}

// Every trial is kept, also when the search ends with an error.
Plan SearchAndProve(Session& session, const Preparation& known, TrialBook& book, TrialKeeper& keep,
                    std::optional<GridCheck>& check, std::optional<PairCheck>& pairs, const TimeBudget& time) {
  const Show& show = known.show;
  const SearchSpace space = SpaceOf(known.targets, known.families);
  const int usual = UsualTrials(known, space) + kProofSteps;
  const bool exhaustive = session.request().exhaustive;
  session.progress().Stage("trials", exhaustive ? GridSize(space, known.footage.size()) + usual : usual);
  PlanRequest request{show,
                      known.targets,
                      known.footage,
                      known.families,
                      MeasureCapacity(session, show, known.disk),
                      session.request().most_proofs,
                      session.encoders().UsableDevices(),
                      session.encoders().EncodesAtOnce(AllOf(known)),
                      session.machine().processor.usable,
                      known.calm,
                      time,
                      [&](const PlanStatus& status) {
                        session.progress().Rename(NameOf(status.stage));
                        session.progress().Tell(status.most_trials_left, status.best ? InShort(*status.best) : "");
                      },
                      known.recording_families,
                      known.own_streams,
                      StreamDevices(session, show),
                      RecordingDevices(session, show),
                      session.encoders().WithoutBFrames(AllOf(known))};
  try {
    if (exhaustive) check = CheckAgainstGrid(StreamSpace(request), known.footage, show.required_headroom, book);
    if (session.request().all_pairs) pairs = CheckPairs(request, book);
    Prover prover(session, known.footage, show.first, static_cast<int>(known.targets.audio.kbps()),
                  show.destinations.size());
    const double most = request.capacity.cpu_cores * (1 - request.capacity.headroom);
    if (!session.request().plan_budget_seconds)  // a run more in the end may be too long for that
      request.prove_until_too_much = [&](const Pair& pair) { return prover.Run(pair, most); };
    Plan plan = MakePlan(request, book, [&](const Pair& pair) { return prover.Run(pair); });
    if (pairs) ComparePlan(plan, *pairs);
    session.progress().Clear();
    return plan;
  } catch (...) {
    keep.Keep(book.trials());
    throw;
  }
}

// The files of the proof run that the plan rests on.
void PublishProof(const Session& session, const Plan& plan) {
  if (plan.proving.attempts.empty() || plan.proving.attempts.back().proof.folder.empty()) return;
  const Attempt& proven = plan.proving.attempts.back();
  const std::string stream = ProofStreamFile(proven.pair.stream.settings);
  Publish(proven.proof.folder / stream, session.out() / stream);
  for (std::size_t i = 0; i < proven.pair.further.size(); ++i) {
    const std::string further = ProofStreamFile(proven.pair.further[i].option.settings, i + 1);
    Publish(proven.proof.folder / further, session.out() / further);
  }
  if (!proven.pair.one_encode) Publish(proven.proof.folder / "recording.mkv", session.out() / "recording.mkv");
}

void AddDisk(const Preparation& known, Plan& plan) {
  if (!plan.chosen || known.show.recording_is_none) return;
  plan.disk = known.disk;
  for (const Message& advice : DiskAdvice(known.disk, plan.recording_rate(), known.show.recording_hours))
    plan.targets.warnings.push_back(advice);
}

void AddDisplays(const Session& session, Plan& plan) {
  if (!plan.chosen) return;
  for (const Message& advice : DisplayAdvice(session.machine().displays, plan.chosen->stream.settings.frame_rate.fps()))
    plan.targets.warnings.push_back(advice);
}

void CheckColours(const Session& session, const std::vector<Footage>& footage, Plan& plan) {
  if (!plan.chosen) return;
  const std::string stream = ProofStreamFile(plan.chosen->stream.settings);
  plan.colour = CheckColour(footage.front().file, session.out() / stream,
                            session.out() / (plan.chosen->one_encode ? stream : "recording.mkv"),
                            plan.targets.recording.frame_rate, SteadyClock());
  for (const std::string& stray : plan.colour->strays)
    plan.targets.warnings.push_back(
        Message{"plan.colours-differ",
                {{"output", stray}, {"mean", plan.colour->error.mean}, {"most", plan.colour->error.most}}});
}

json ResultJson(const Session& session, const Preparation& known, const Plan& plan,
                const std::optional<GridCheck>& check) {
  json body = plan;
  if (check) body["exhaustive"] = *check;
  if (known.line) body["rate_control"] = known.line->choice;
  body["show"] = ShowJson(session, known.show, plan, session.machine().processor.capacity());
  body["load"] = session.load() ? session.load()->json() : json();
  body["stand_in_gpu"] = session.request().stand_in_gpu;
  return body;
}

// Results first, then figures.
void WriteFiles(Session& session, const Preparation& known, const Plan& plan, const json& body,
                const std::vector<Option>& stream_options) {
  session.Write("plan", body);
  WriteFile(session.out() / "card.txt", SettingsCard(plan));
  session.Write("card", CardJson(plan));
  if (!plan.proving.attempts.empty())
    WriteFile(session.out() / "proof.csv", ProofCsv(plan.proving.attempts.back().proof));
  if (known.line) session.DrawChart(MakeLineChart(known.line->line, *known.targets.budget, known.line->choice));
  DrawPlanFigures(session, plan, known.footage, stream_options);
}

std::vector<std::string> LineWords(const Targets& targets) {
  if (!targets.budget) return {};
  return {fmt::format("{:.0f} kbit/s of upload", targets.budget->carried_kbps)};
}

void Keep(const Session& session, const Show& show, const Plan& plan) {
  const Message verdict =
      plan.chosen
          ? Message{"history.plan", {{"verdict", Name(plan.verdict())}, {"stream", InShort(plan.chosen->stream)}}}
          : Message{"history.no-plan", {{"verdict", Name(plan.verdict())}}};
  KeepRun(session, {"plan",
                    show.title,
                    verdict,
                    plan.simulated,
                    {"plan.json", "card.txt", "card.json", "bench.json"},
                    LineWords(plan.targets)});
}

// Where the line decides: no more than pays, on the show's first footage at the largest size and highest frame rate.
void TakeEnoughBits(Session& session, Preparation& known, TrialBook& book) {
  if (known.show.stream_bit_rate || !known.targets.budget || known.families.empty()) return;
  session.progress().Stage("finding the bit rate from which more bits stop paying", 4);
  const std::string& family = known.families.front();
  const auto& presets = FindFamily(family).presets;
  EncodeSettings most = WithEncoder(known.targets.stream, family, presets[presets.size() / 4]);
  most.device = StreamDevices(session, known.show).FirstOf(family, session.encoders().UsableDevices()[family]);
  ApplyEnoughBits(FindEnoughBits(most, known.footage.front(), book), !known.show.recording_bit_rate, known.targets);
  session.progress().Clear();
}

// With the encoders that work here for each.
void AddOwnStreams(Session& session, Preparation& known) {
  known.own_streams = OwnStreams(known.show, known.targets);
  for (OwnStream& own : known.own_streams)
    own.families = StreamEncoders(session, known.show, own.codecs, own.stream.rate_control);
}

}  // namespace

Show LoadShow(const Session& session) {
  const Places& places = session.places();
  return ReadShow(session.request().show, session.request().overrides, {places.share / "demo" / "destinations", "/"});
}

int RunPlan(Session& session) {
  const auto start = std::chrono::steady_clock::now();
  Preparation known = Prepare(session);
  session.trials().SetAside();
  TrialKeeper keep(session, !session.trials().HasUnfinishedBench());
  TrialBook book(session.runner(), session.trials().Known(), std::ref(keep), known.show.required_headroom);
  TakeEnoughBits(session, known, book);
  AddOwnStreams(session, known);
  std::optional<GridCheck> check;
  std::optional<PairCheck> pairs;
  std::function<double()> seconds_left;
  if (const auto budget = session.request().plan_budget_seconds)
    seconds_left = [start, budget] {
      return *budget - std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    };
  Plan plan = SearchAndProve(session, known, book, keep, check, pairs,
                             TimeBudget(seconds_left, session.request().proof_seconds));
  keep.Keep(book.trials());
  if (session.load()) session.load()->CheckStillThere();
  PublishProof(session, plan);
  AddDisk(known, plan);
  AddDisplays(session, plan);
  CheckColours(session, known.footage, plan);

  plan.measured = book.measured();
  plan.reused = book.reused();
  const bool beside_the_game = known.show.load == "live";  // which is what took processors
  if (auto warning = book.Disturbed(); warning && !beside_the_game) plan.targets.warnings.push_back(*warning);
  json body = ResultJson(session, known, plan, check);
  if (pairs) body["all_pairs"] = *pairs;
  WriteFiles(session, known, plan, body, KnownOptions(book, plan.targets.stream, known.footage));
  if (session.request().json)
    PrintJson(body);
  else {
    if (check) PrintGridCheck(*check);
    if (pairs) PrintPairCheck(*pairs);
    PrintPlan(plan, PlaceOf(session));
  }
  WriteReport(session);
  Keep(session, known.show, plan);
  return plan.verdict() == PlanVerdict::kHolds ? 0 : 1;
}

}  // namespace kettle::app
