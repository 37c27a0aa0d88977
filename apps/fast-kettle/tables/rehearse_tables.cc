// SPDX-License-Identifier: Apache-2.0
#include "tables/rehearse_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "kettle/media/reader.h"
#include "kettle/units/error.h"

namespace kettle::app {

namespace fs = std::filesystem;
using nlohmann::json;

void PrintSimulated(bool gpu, bool ingest, bool game) {
  if (gpu) fmt::print("{}", Paint(SimulatedNotice(), Tone::kStrong));
  if (ingest) fmt::print("{}\n", Paint("SIMULATED: the ingest is a stand-in on this machine.", Tone::kStrong));
  if (game)
    fmt::print("{}\n",
               Paint("SIMULATED: the game is a stand-in; its frame rate says little about yours.", Tone::kStrong));
  if (gpu || ingest || game) fmt::print("\n");
}

Headline HeadlineOf(const Session& session, const RehearsalOutcome& outcome, const Diagnosis& diagnosis) {
  const std::string both = fmt::format("{:.0f} s of stream and recording in real time", outcome.seconds);
  if (outcome.holds())
    return {
        fmt::format("It holds: {}, and no frame was lost.", both), Tone::kGood,
        "go live with the settings in " + (fs::path(session.request().subject).parent_path() / "card.txt").string()};
  std::string why;
  if (!diagnosis.cures.empty()) why = fmt::format(" The main cause: {}.", Name(diagnosis.cures.front().cause));
  const std::string next = "fast-kettle diagnose " + session.out().string();
  if (outcome.lost() > 0)
    return {fmt::format("It does not hold: {} frames lost in {}.{}", outcome.lost(), both, why), Tone::kBad, next};
  return {fmt::format("It does not hold: something broke off in {}.{}", both, why), Tone::kBad, next};
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
  fmt::print("  frame clock: {:.2f} ms late (median), {:.2f} ms (p99.9), {:.1f} ms at most\n", outcome.clock_p50_ms,
             outcome.clock_p999_ms, outcome.clock_max_ms);
  if (outcome.connection_losses > 0)
    fmt::print("  the connection to the ingest was lost {} times ({}); the recording went on\n",
               outcome.connection_losses, outcome.connection_trouble);
  for (const RehearsalFile& file : outcome.files)
    fmt::print("  {}: {:.1f} MB{}\n", file.path, static_cast<double>(file.bytes) / 1e6,
               file.trouble.empty() ? "" : "; " + file.trouble);
  fmt::print("\n");
}

// What other programs took from it is in its figures too: they say what it made, not who took the rest.
void PrintGame(const GameFrames& game) {
  constexpr double kLess = 0.5;  // frames a second
  const bool less = game.alone_fps - game.beside_fps >= kLess;
  fmt::print("{}: {:.1f} of {:g} frames per second without the encodes, {}.\n\n",
             Paint("The simulated game", Tone::kStrong), game.alone_fps, game.wanted_fps,
             Paint(fmt::format("{:.1f} beside them", game.beside_fps), less ? Tone::kBad : Tone::kPlain));
}

void PrintClimb(const Climb& climb) {
  fmt::print("{}\n", Paint("Step by step", Tone::kStrong));
  Table table({Number(""), {"step"}, Number("frames lost"), {""}});
  for (std::size_t i = 0; i < climb.rehearsals.size(); ++i) {
    const Climbed& one = climb.rehearsals[i];
    table.Row({Number(fmt::format("{}", i + 1)),
               {one.step.empty() ? "the plan as it is"
                : one.taken_back ? "without " + one.step
                                 : one.step},
               Number(fmt::format("{}", one.lost)),
               {one.holds ? "holds" : "does not hold", one.holds ? Tone::kGood : Tone::kBad}});
  }
  fmt::print("{}", table.str());
  if (climb.holds)
    fmt::print("  It holds with: stream {} {}, {} at {}, {}; recording {} {}.\n\n", climb.plan.stream.encoder,
               climb.plan.stream.preset, climb.plan.stream.size.str(), climb.plan.stream.frame_rate.str(),
               climb.plan.stream.bit_rate.str(), climb.plan.recording.encoder, climb.plan.recording.preset);
  else
    fmt::print("  {}.\n\n", Paint("Stopped: " + climb.stopped, Tone::kBad));
}

namespace {

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

}  // namespace

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
    table.Row({{file.container},
               Number(fmt::format("{:.1f} MB", error ? 0.0 : static_cast<double>(bytes) / 1e6)),
               Number(seconds ? fmt::format("{:.1f} s", *seconds) : "nothing", seconds ? Tone::kGood : Tone::kBad),
               {seconds ? fmt::format("the last {:.1f} s before the cut are lost",
                                      std::max(0.0, task.power_cut_seconds - *seconds))
                        : "lost: its index is written only at the end",
                Tone::kDim}});
  }
  session.Write("power-cut", {{"seconds", task.power_cut_seconds}, {"files", files}});
  fmt::print("{}\n{}\n", Paint(fmt::format("Killed after {:g} s: what is left", task.power_cut_seconds), Tone::kStrong),
             table.str());
  return kept ? 0 : 1;
}

}  // namespace kettle::app
