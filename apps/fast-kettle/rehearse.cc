// SPDX-License-Identifier: Apache-2.0
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "commands.h"
#include "kettle/diagnosis/diagnosis.h"
#include "kettle/load/replay.h"
#include "kettle/machine/disk.h"
#include "kettle/media/reader.h"
#include "kettle/rehearsal/recorder.h"
#include "kettle/rtmp/url.h"
#include "kettle/units/error.h"
#include "report/rehearsal_figures.h"
#include "stand_in.h"

namespace kettle::app {

namespace {

using nlohmann::json;
namespace fs = std::filesystem;

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

PlanFile ReadPlan(const Session& session) {
  PlanFile plan = ReadPlanFile(session.request().subject);
  if (plan.machine_digest != session.provenance().machine_digest && !session.request().rehearse.anyway)
    FailInput("{}: made on another machine, or before a driver or kernel changed; plan again, or give --anyway",
              session.request().subject);
  const bool wants_stand_in = plan.simulated && session.request().stand_in_gpu.empty();
  if (wants_stand_in)
    FailInput("{}: made with a simulated GPU; give the same --stand-in-gpu PROFILE", session.request().subject);
  return plan;
}

std::vector<Footage> Prepare(Session& session, const PlanFile& plan) {
  std::vector<Footage> footage;
  for (const std::string& source : plan.footage)
    footage.push_back(PrepareFootage({source, plan.source_size, plan.source_rate, plan.footage_seconds},
                                     DefaultCacheFolder(), [&](double share) {
                                       if (StopRequested()) throw Error(Fault::kInterrupted, "interrupted");
                                       session.progress().Show("preparing " + source, share * 0.9);
                                     }));
  session.progress().Clear();
  return footage;
}

RehearsalTask MakeTask(const Session& session, const PlanFile& plan, const std::vector<Footage>& footage,
                       const std::string& url) {
  const RehearseOptions& options = session.request().rehearse;
  RehearsalTask task;
  for (const Footage& pictures : footage) task.footage.push_back(pictures.file.string());
  task.source_rate = plan.source_rate;
  task.seconds = options.seconds;
  task.stream = plan.stream;
  task.recording = plan.recording;
  task.url = url;
  const StreamKey key = options.key_file.empty() ? StreamKey{"rehearsal", ""} : ReadKeyFile(options.key_file);
  task.key = key.key;
  task.audio_tracks = options.audio_tracks;
  task.record_from = options.record_from;
  task.record_to = options.record_to;
  task.power_cut_seconds = options.power_cut;
  task.game = {"kettle-game", kLoadProcess};
  const fs::path folder = options.folder.empty() ? session.out() : fs::path(options.folder);
  if (!options.folder.empty()) CheckWritable(folder);
  std::vector<std::string> containers{options.container.empty() ? plan.container : options.container};
  if (options.power_cut > 0) containers = {"matroska", "fragmented-mp4", "mp4"};
  for (const std::string& container : containers) {
    ContainerOf(container);  // known?
    const std::string name = containers.size() > 1 ? "recording-" + container : "recording";
    task.files.push_back({fs::absolute(folder / (name + ExtensionOf(container))).string(), container});
  }
  return task;
}

DiagnosisFacts FactsOf(const PlanFile& plan) {
  return {plan.cpu_cores, plan.stream.bit_rate.kbps(), plan.stream_device == "gpu", plan.recording_device == "gpu"};
}

json Counted(const PacedOutputOutcome& output, const char* lost_word, std::size_t lost) {
  return {{"frames", output.frames},   {"skipped", output.skipped},     {lost_word, lost},
          {"packets", output.packets}, {"mean_kbps", output.mean_kbps}, {"peak_second_kbps", output.peak_second_kbps},
          {"latency", output.latency}};
}

json ResultOf(const PlanFile& plan, const RehearsalOutcome& outcome, const DiagnosisFacts& facts,
              const Diagnosis& diagnosis, bool simulated) {
  json body = {
      {"title", plan.title},
      {"simulated", simulated},
      {"simulated_ingest", outcome.simulated_ingest},
      {"seconds", outcome.seconds},
      {"verdict", outcome.holds() ? "holds" : "does not hold"},
      {"late", outcome.late_frames.size()},
      {"stream", Counted(outcome.stream, "dropped", outcome.dropped.size())},
      {"recording", Counted(outcome.recording, "stalled", outcome.stalled.size())},
      {"clock",
       {{"p50_ms", outcome.clock_p50_ms}, {"p999_ms", outcome.clock_p999_ms}, {"max_ms", outcome.clock_max_ms}}},
      {"connection_losses", outcome.connection_losses},
      {"diagnosis", diagnosis},
      {"facts", facts}};
  body["outcome"] = outcome;
  return body;
}

void PrintOutcome(const PlanFile& plan, const RehearsalOutcome& outcome) {
  fmt::print("{}\n", Paint(fmt::format("{:.0f} s in real time: {}", outcome.seconds, plan.title), Tone::kStrong));
  Table table({{""},
               Number("frames"),
               Number("late"),
               Number("skipped"),
               Number("dropped"),
               Number("stalled"),
               Number("mean"),
               Number("latency p99")});
  const auto lost = [](std::size_t count) {
    return Number(fmt::format("{}", count), count > 0 ? Tone::kBad : Tone::kPlain);
  };
  const auto row = [&](const char* name, const EncodeSettings& settings, const PacedOutputOutcome& output,
                       std::optional<std::size_t> dropped, std::optional<std::size_t> stalled) {
    const Cell none = Number("-", Tone::kDim);
    table.Row({{fmt::format("{}: {} {}, {} at {}", name, settings.encoder, settings.preset, settings.size.str(),
                            settings.frame_rate.str())},
               Number(fmt::format("{}", output.frames)),
               lost(outcome.late_frames.size()),
               lost(static_cast<std::size_t>(output.skipped)),
               dropped ? lost(*dropped) : none,
               stalled ? lost(*stalled) : none,
               Number(fmt::format("{:.0f} kbit/s", output.mean_kbps)),
               Number(fmt::format("{:.0f} ms", output.latency.p99_ms))});
  };
  row("stream", plan.stream, outcome.stream, outcome.dropped.size(), std::nullopt);
  row("recording", plan.recording, outcome.recording, std::nullopt, outcome.stalled.size());
  fmt::print("{}", table.str());
  fmt::print("  frames were released {:.2f} ms after their time (median), {:.2f} ms at p99.9, {:.1f} ms at most\n",
             outcome.clock_p50_ms, outcome.clock_p999_ms, outcome.clock_max_ms);
  if (outcome.connection_losses > 0)
    fmt::print("  the ingest was lost {} times ({}); the recording went on\n", outcome.connection_losses,
               outcome.connection_trouble);
  for (const RehearsalFile& file : outcome.files)
    fmt::print("  {}: {:.1f} MB{}\n", file.path, static_cast<double>(file.bytes) / 1e6,
               file.trouble.empty() ? "" : "; " + file.trouble);
  fmt::print("\n{}\n\n", outcome.holds() ? Paint("It holds: no frame was lost.", Tone::kGood)
                                         : Paint("It does not hold: frames were lost.", Tone::kBad));
}

void PrintGame(const GameRate& game) {
  const double lost = game.alone - game.beside;
  fmt::print("{}: {:.0f} of {:g} frames a second alone, {:.1f} beside the encodes{}.\n\n",
             Paint("The simulated game", Tone::kStrong), game.alone, game.wanted, game.beside,
             lost >= 0.5 ? Paint(fmt::format(": streaming and recording cost it {:.1f}", lost), Tone::kBad) : "");
}

// How far a recording can be played, in seconds; nothing if it cannot be opened.
std::optional<double> PlayableSeconds(const std::string& path) {
  try {
    MediaReader reader(path);
    double last = -1;
    while (const auto picture = reader.Next()) last = picture->seconds;
    return last < 0 ? std::nullopt : std::optional(last);
  } catch (const Error&) {
    return std::nullopt;
  }
}

int TellPowerCut(Session& session, const RehearsalTask& task) {
  json files = json::array();
  Table table({{"container"}, Number("on disk"), Number("playable"), {""}});
  bool kept = false;
  for (const RehearsalTask::File& file : task.files) {
    std::error_code error;
    const auto bytes = fs::file_size(file.path, error);
    const auto seconds = PlayableSeconds(file.path);
    kept = kept || (file.container == "matroska" && seconds);
    files.push_back({{"container", file.container},
                     {"path", file.path},
                     {"bytes", error ? 0 : bytes},
                     {"playable_seconds", seconds.value_or(0)}});
    table.Row(
        {{file.container},
         Number(fmt::format("{:.1f} MB", error ? 0.0 : static_cast<double>(bytes) / 1e6)),
         Number(seconds ? fmt::format("{:.1f} s", *seconds) : "nothing", seconds ? Tone::kGood : Tone::kBad),
         {seconds ? fmt::format("{:.1f} s before the cut are lost", std::max(0.0, task.power_cut_seconds - *seconds))
                  : "its index is written at the end, and there was none",
          Tone::kDim}});
  }
  session.Write("power-cut", {{"seconds", task.power_cut_seconds}, {"files", files}});
  fmt::print("{}\n{}\n", Paint(fmt::format("Killed after {:g} s: what is left", task.power_cut_seconds), Tone::kStrong),
             table.str());
  return kept ? 0 : 1;
}

}  // namespace

int RunRehearse(Session& session) {
  const RehearseOptions& options = session.request().rehearse;
  const PlanFile plan = ReadPlan(session);
  const OnlyOne only;
  if (!options.to.empty() && IngestUrl::Parse(options.to).scheme != "rtmp")
    FailInput("--to: a rehearsal streams over rtmp:// only; uplink --to measures the others");
  const std::vector<Footage> footage = Prepare(session, plan);
  std::optional<StandInIngest> ingest;
  if (options.to.empty()) ingest.emplace(session.places(), options.link, session.out() / "arrived.csv");
  if (!options.load.empty()) session.StartLoad(options.load);
  std::optional<StandInGame> game;
  if (options.game_cores > 0) {
    session.progress().Show("the simulated game alone", 0);
    game.emplace(session.places(), options.game_cores, plan.source_rate, session.out() / "game.csv");
  }
  const RehearsalTask task = MakeTask(session, plan, footage, ingest ? ingest->url() : options.to);

  session.progress().Stage("rehearsal", 1);
  WorkerReport report = session.worker().Run({"rehearse", task, task.seconds * 2 + kGraceSeconds}, [&](double share) {
    session.progress().Show(fmt::format("{} and {} in real time", plan.stream.encoder, plan.recording.encoder), share);
  });
  session.progress().Clear();
  if (options.power_cut > 0 && report.status == WorkerStatus::kCrashed) return TellPowerCut(session, task);
  const auto outcome = AnswerOf<RehearsalOutcome>(report);
  if (!outcome) throw Error(Fault::kMachine, "the rehearsal did not run: " + report.detail);

  const DiagnosisFacts facts = FactsOf(plan);
  const Diagnosis diagnosis = Diagnose(*outcome, facts, plan);
  const bool simulated = plan.simulated || outcome->simulated_ingest;
  fs::copy_file(session.request().subject, session.out() / "plan.json.new", fs::copy_options::overwrite_existing);
  Publish(session.out() / "plan.json.new", session.out() / "plan.json");
  WriteFile(session.out() / "frames.csv", FramesCsv(*outcome));
  WriteFile(session.out() / "seconds.csv", SecondsCsv(outcome->timeline));
  json body = ResultOf(plan, *outcome, facts, diagnosis, simulated || game);
  const GameRate rate = game ? game->Rate() : GameRate{};
  body["game"] = nullptr;
  if (game)
    body["game"] = {
        {"wanted_fps", rate.wanted}, {"alone_fps", rate.alone}, {"beside_fps", rate.beside}, {"simulated", true}};
  body["load"] = session.load() ? session.load()->json() : json();
  session.Write("rehearsal", body);
  DrawRehearsal(session.out(), *outcome, facts, simulated);
  if (session.request().json) {
    fmt::print("{}\n", body.dump(2));
    return outcome->holds() ? 0 : 1;
  }
  if (plan.simulated) fmt::print("{}\n", SimulatedNotice());
  if (outcome->simulated_ingest)
    fmt::print("{}\n\n", Paint("SIMULATED: the ingest is a stand-in on this machine.", Tone::kStrong));
  if (session.load()) fmt::print("Under a load, {}.\n\n", session.load()->words());
  PrintOutcome(plan, *outcome);
  if (game) PrintGame(rate);
  PrintDiagnosis(diagnosis);
  fmt::print("In {}/: rehearsal.json, frames.csv, seconds.csv, and the figure rehearsal as SVG and PNG.\n",
             session.out().string());
  return outcome->holds() ? 0 : 1;
}

}  // namespace kettle::app
