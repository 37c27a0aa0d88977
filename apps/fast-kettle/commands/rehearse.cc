// SPDX-License-Identifier: Apache-2.0
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "kettle/diagnosis/climb.h"
#include "kettle/diagnosis/diagnosis.h"
#include "kettle/diagnosis/game_log.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/input/input.h"
#include "kettle/load/replay.h"
#include "kettle/machine/disk.h"
#include "kettle/rehearsal/recorder.h"
#include "kettle/rtmp/url.h"
#include "kettle/store/reserved_space.h"
#include "kettle/units/error.h"
#include "past_runs/keep_run.h"
#include "process/unwritten.h"
#include "surroundings/stand_in.h"
#include "tables/rehearse_tables.h"
#include "timeline/rehearsal_figures.h"

namespace kettle::app {

namespace {

using nlohmann::json;
namespace fs = std::filesystem;

constexpr int kMostSteps = 6;         // of a climb
constexpr double kGraceSeconds = 40;  // for starting, and for finishing a slow encode

// Two rehearsals at once would each find the other's load.
class OnlyOne {
 public:
  OnlyOne() {
    fs::create_directories(DefaultCacheFolder());
    file_ = open((DefaultCacheFolder() / "rehearsal.lock").c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600);
    if (file_ >= 0 && flock(file_, LOCK_EX | LOCK_NB) != 0)
      FailInput("another rehearsal is running on this machine; two at once would measure each other");
  }
  ~OnlyOne() {
    if (file_ >= 0) close(file_);
  }
  OnlyOne(const OnlyOne&) = delete;
  OnlyOne& operator=(const OnlyOne&) = delete;

 private:
  int file_ = -1;
};

// The plan's file, also where its folder was named.
fs::path PlanOf(const Session& session) { return PlanIn(session.request().subject); }

PlanFile ReadPlan(const Session& session) {
  PlanFile plan = ReadPlanFile(PlanOf(session));
  if (plan.machine_digest != session.provenance().machine_digest && !session.request().rehearse.anyway)
    FailInput("{}: made on another machine, or before a driver or kernel changed; plan again, or give --anyway",
              session.request().subject);
  if (plan.simulated && session.request().stand_in_gpu.empty())
    FailInput("{}: made with a simulated GPU; add --stand-in-gpu {}", session.request().subject,
              plan.stand_in_gpu.empty() ? "PROFILE, the same one" : plan.stand_in_gpu);
  return plan;
}

std::vector<Footage> Prepare(Session& session, const PlanFile& plan) {
  std::vector<Footage> footage;
  for (const std::string& source : plan.footage)
    footage.push_back(PrepareFootage({source, plan.source_size, plan.source_rate, plan.footage_seconds},
                                     DefaultCacheFolder(), [&](double share) {
                                       ThrowIfStopped();
                                       session.progress().Show("preparing " + source, share * 0.9);
                                     }));
  session.progress().Clear();
  return footage;
}

// Where to, in the order of --to; that is the order of the destinations, if each gets an encode of its own.
std::vector<RehearsalIngest> NamedIngests(const RehearseOptions& options, const PlanFile& plan) {
  std::vector<RehearsalIngest> ingests;
  const std::size_t files = options.key_files.size();
  if (files > 1 && files != options.to.size())
    FailInput("--key-file: give one for all, or one for each --to; there are {} for {}", files, options.to.size());
  for (std::size_t i = 0; i < options.to.size(); ++i) {
    const IngestUrl url = IngestUrl::Parse(options.to[i]);
    const StreamKey key = files == 0 ? StreamKey{"rehearsal", ""} : ReadKeyFile(options.key_files[files == 1 ? 0 : i]);
    ingests.push_back({fmt::format("{}:{}", url.host, url.port), url.str(), key.key, key.passphrase});
  }
  if (!plan.further_streams.empty() && ingests.size() == plan.destinations.size())
    for (std::size_t i = 0; i < ingests.size(); ++i) ingests[i].name = plan.destinations[i];
  for (RehearsalIngest& ingest : ingests)  // two at one place are told apart by their whole addresses
    if (std::count_if(ingests.begin(), ingests.end(),
                      [&](const RehearsalIngest& other) { return other.name == ingest.name; }) > 1)
      ingest.name = ingest.url;
  return ingests;
}

RehearsalTask MakeTask(const Session& session, const PlanFile& plan, const std::vector<Footage>& footage,
                       std::vector<RehearsalIngest> ingests) {
  const RehearseOptions& options = session.request().rehearse;
  RehearsalTask task;
  for (const Footage& pictures : footage) task.footage.push_back(pictures.file.string());
  task.source_rate = plan.source_rate;
  task.seconds = options.seconds;
  task.stream = plan.stream;
  for (const FurtherPlanStream& further : plan.further_streams) task.further_streams.push_back(further.settings);
  task.recording = plan.recording;
  task.one_encode = plan.one_encode;
  task.stream_processors = plan.stream_processors;
  task.recording_processors = plan.recording_processors;
  task.first = plan.first;
  task.ingests = std::move(ingests);
  for (RehearsalIngest& ingest : task.ingests) ingest.stream = plan.StreamFor(ingest.name);
  task.audio_kbps = static_cast<int>(plan.audio_kbps);
  task.audio_tracks = options.audio_tracks;
  task.record_from = options.record_from;
  task.record_to = options.record_to;
  task.power_cut_seconds = options.power_cut;
  task.frames_csv = (session.scratch() / "frames.csv").string();
  task.game = {"kettle-game", kLoadProcess};
  if (session.load())
    for (const std::string& program : session.load()->live_programs()) task.game.push_back(program);
  const fs::path folder = options.folder.empty() ? session.out() : fs::path(options.folder);
  if (!options.folder.empty()) CheckWritable(folder);
  std::vector<std::string> containers;
  if (plan.container != "none") containers = {options.container.empty() ? plan.container : options.container};
  if (options.power_cut > 0) containers = {"matroska", "fragmented-mp4", "mp4"};
  for (const std::string& container : containers) {
    ContainerOf(container);  // known?
    // A name that no recording of the user's has.
    const std::string name = containers.size() > 1 ? "fast-kettle-rehearsal-" + container : "fast-kettle-rehearsal";
    task.files.push_back({fs::absolute(folder / (name + ExtensionOf(container))).string(), container});
  }
  task.keep_last_seconds = plan.keep_last_seconds;
  task.save_at_seconds = options.save_at;
  const std::string saved = containers.empty() ? "matroska" : containers.front();
  task.save = {fs::absolute(folder / ("fast-kettle-last-seconds" + ExtensionOf(saved))).string(), saved};
  return task;
}

// Why it broke off, in plain words where one of the plan's encoders knows the library's.
std::string PlainReason(const PlanFile& plan, const std::string& detail) {
  std::vector<EncodeSettings> encodes{plan.stream, plan.recording};
  for (const FurtherPlanStream& further : plan.further_streams) encodes.push_back(further.settings);
  for (const EncodeSettings& settings : encodes)
    if (std::string reason = Reason(FindFamily(settings.encoder), detail); reason != detail) return reason;
  return detail;
}

DiagnosisFacts FactsOf(const PlanFile& plan, const std::optional<GameFrames>& game) {
  return {
      plan.cpu_cores, plan.stream.bit_rate.kbps(), plan.stream_device == "gpu", plan.recording_device == "gpu", game,
      plan.game_gives};
}

// What all rehearsals of one run share: the pictures, the ingest, the game, the load.
class Stage {
 public:
  Stage(Session& session, const PlanFile& plan) : session_(session), footage_(Prepare(session, plan)) {
    const RehearseOptions& options = session.request().rehearse;
    ingests_ = NamedIngests(options, plan);
    if (ingests_.empty()) {
      stand_in_.emplace(session.places(), options.link, session.out() / "arrived.csv");
      ingests_ = stand_in_->Ingests(plan.destinations);
    }
    if (!options.load.empty()) session.StartLoad(options.load);
    if (options.game_cores > 0) {
      session.progress().Show("the simulated game alone", 0);
      game_.emplace(session.places(), options.game_cores, plan.source_rate, session.out() / "game.csv");
    }
    if (!options.game_frames.empty()) log_.emplace(options.game_frames);
  }

  RehearsalTask Task(const PlanFile& plan) const { return MakeTask(session_, plan, footage_, ingests_); }
  // Nothing if it killed itself, as it was asked to.
  std::optional<RehearsalOutcome> Run(const PlanFile& plan, const RehearsalTask& task) {
    session_.progress().Stage("rehearsal", 1);
    std::vector<EncodeSettings> encodes{task.stream};
    if (!task.one_encode) encodes.push_back(task.recording);
    encodes.insert(encodes.end(), task.further_streams.begin(), task.further_streams.end());
    CodeOnce(session_.worker(), {encodes, task.footage, task.source_rate, task.seconds},
             [&](double share) { session_.progress().Show("what the simulated GPU will be asked", share); });
    if (game_) game_->Begin();
    if (log_) log_->Begin();
    WorkerReport report =
        session_.worker().Run({"rehearse", task, task.seconds * 2 + kGraceSeconds, kGraceSeconds}, [&](double share) {
          const auto name = [](const EncodeSettings& s) { return s.encoder + " " + s.preset; };
          std::string streams = name(plan.stream);
          for (const FurtherPlanStream& further : plan.further_streams) streams += ", " + name(further.settings);
          session_.progress().Show(
              (plan.one_encode ? streams + ", recorded as it is," : streams + " and " + name(plan.recording)) +
                  " in real time",
              share);
        });
    session_.progress().Clear();
    if (game_) game_->End();
    if (log_) log_->End();
    if (session_.load()) session_.load()->CheckStillThere();
    if (task.power_cut_seconds > 0 && report.status == WorkerStatus::kCrashed) return std::nullopt;
    auto outcome = AnswerOf<RehearsalOutcome>(report);
    if (!outcome)
      throw Error(report.input ? Fault::kInput : Fault::kMachine,
                  "the rehearsal broke off: " + PlainReason(plan, report.detail));
    return outcome;
  }
  // What it made beside the last of them.
  std::optional<GameFrames> game() const {
    if (game_) return game_->Frames();
    if (!log_) return std::nullopt;
    try {
      return log_->Frames();
    } catch (const Error& error) {
      // What was rehearsed is not lost by it.
      fmt::print(stderr, "fast-kettle: {}; the rehearsal is told without the game\n", error.what());
      return std::nullopt;
    }
  }

 private:
  Session& session_;
  std::vector<Footage> footage_;
  std::optional<StandInIngest> stand_in_;
  std::vector<RehearsalIngest> ingests_;
  std::optional<StandInGame> game_;
  std::optional<GameLog> log_;
};

// Of the rehearsal that was just run.
void KeepFrames(const Session& session, const RehearsalOutcome& outcome) {
  Unwritten unwritten;
  unwritten.Try([&] {
    if (!outcome.frames_trouble.empty()) FailMachine("no frames.csv: {}", outcome.frames_trouble);
    Publish(session.scratch() / "frames.csv", session.out() / "frames.csv");
  });
}

// What the results of so many seconds take on the disk, at most: rehearsal.json and seconds.csv grow with them.
std::int64_t ResultBytes(double seconds) { return (8LL << 20) + static_cast<std::int64_t>(seconds * 3000); }

// Writes and prints the last rehearsal; the exit code.
int Tell(Session& session, const std::optional<GameFrames>& game, const PlanFile& plan, const RehearsalOutcome& outcome,
         const std::optional<Climb>& climb) {
  RehearsalResult result{plan.title,  (PlanOf(session).parent_path() / "card.txt").string(),
                         plan.stream, plan.recording,
                         plan.first,  plan.simulated};
  for (const FurtherPlanStream& further : plan.further_streams) result.further_streams.push_back(further.settings);
  if (session.load()) result.load = session.load()->words();
  result.outcome = outcome;
  result.facts = FactsOf(plan, game);
  result.climb = climb;
  const Diagnosis diagnosis = Diagnose(outcome, result.facts, plan);
  Unwritten unwritten;
  unwritten.Try([&] { WriteFile(session.out() / "plan.json", ReadInput(PlanOf(session))); });
  unwritten.Try([&] {
    if (WriteRehearsedCard(session.out(), result, diagnosis)) result.card = (session.out() / "card.txt").string();
  });
  unwritten.Try([&] { WriteFile(session.out() / "seconds.csv", SecondsCsv(outcome.timeline)); });
  json body = result;
  body["diagnosis"] = diagnosis;
  body["load"] = session.load() ? session.load()->json() : json();
  body["stand_in_gpu"] = session.request().stand_in_gpu;
  unwritten.Try([&] { session.Write("rehearsal", body); });
  const bool simulated = body["simulated"];
  unwritten.Try([&] {
    session.DrawChart(MakeRehearsalChart(outcome, result.facts, simulated));
    session.DrawChart(game);
  });
  if (session.request().json)
    PrintJson(body);
  else
    PrintRehearsal(result, diagnosis, PlaceOf(session));
  unwritten.Try([&] { WriteReport(session, {fs::absolute(PlanOf(session)).parent_path()}); });
  const Message verdict = outcome.lost() == 0 ? Message{"history.rehearsal-held", {{"seconds", outcome.seconds}}}
                                              : Message{"history.rehearsal-lost",
                                                        {{"count", outcome.lost()}, {"seconds", outcome.seconds}}};
  KeepRun(session, {"rehearsal", plan.title, verdict, plan.simulated, {"rehearsal.json", "plan.json", "card.txt"}});
  return unwritten.any() ? 3 : result.holds() ? 0 : 1;
}

void CheckOptions(const RehearseOptions& options, const PlanFile& plan) {
  const bool each = !plan.further_streams.empty();
  if (each && !options.to.empty() && options.to.size() != plan.destinations.size())
    FailInput("--to: this plan has an encode for each destination; give --to {} times, in this order: {}",
              plan.destinations.size(), fmt::join(plan.destinations, ", "));
  for (std::size_t i = 0; i < options.to.size(); ++i) {
    const int stream = each ? plan.StreamFor(plan.destinations[i]) : 0;
    const EncodeSettings& settings =
        stream == 0 ? plan.stream : plan.further_streams[static_cast<std::size_t>(stream) - 1].settings;
    if (IngestUrl::Parse(options.to[i]).scheme == "srt" && FindFamily(settings.encoder).codec == "av1")
      FailInput("--to {}: SRT's transport stream carries H.264 or HEVC, and the plan streams AV1; use rtmp://",
                options.to[i]);
  }
  if (options.save_at > 0 && plan.keep_last_seconds <= 0)
    FailInput("--save-at: this plan keeps no last seconds; say [recording] keep_last = \"30 s\" in the show");
  if (options.save_at >= options.seconds)
    FailInput("--save-at {:g}: the rehearsal ends after {:g} s", options.save_at, options.seconds);
}

}  // namespace

int RunRehearse(Session& session) {
  const RehearseOptions& options = session.request().rehearse;
  const PlanFile plan = ReadPlan(session);
  const OnlyOne only;
  CheckOptions(options, plan);
  ReservedSpace room(session.out(), ResultBytes(options.seconds));
  Stage stage(session, plan);
  if (!options.climb) {
    const RehearsalTask task = stage.Task(plan);
    const auto outcome = stage.Run(plan, task);
    if (!outcome) return TellPowerCut(session, task);
    KeepFrames(session, *outcome);
    room.Release();
    return Tell(session, stage.game(), plan, *outcome, std::nullopt);
  }
  std::optional<RehearsalOutcome> outcome;
  std::optional<GameFrames> game;
  PlanFile rehearsed;
  bool held = false;
  const Climb climb = ClimbDown(plan, kMostSteps, [&](const PlanFile& next) {
    RehearsalOutcome last = *stage.Run(next, stage.Task(next));
    const std::optional<GameFrames> its_game = stage.game();
    const DiagnosisFacts facts = FactsOf(next, its_game);
    const RehearsalVerdict verdict{last.lost(), last.holds() && !facts.GameLosesTooMuch(), Diagnose(last, facts, next),
                                   its_game ? std::optional(its_game->beside_fps) : std::nullopt};
    // Told in the end: the last that held, or the last one.
    if (verdict.holds || !held) {
      held = verdict.holds;
      outcome = std::move(last);
      game = its_game;
      rehearsed = next;
      KeepFrames(session, *outcome);
    }
    return verdict;
  });
  room.Release();
  return Tell(session, game, rehearsed, *outcome, climb);
}

}  // namespace kettle::app
