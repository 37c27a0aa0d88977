// SPDX-License-Identifier: Apache-2.0
#include "tables/rehearse_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "kettle/media/reader.h"
#include "kettle/plan/plan.h"
#include "kettle/store/file.h"
#include "kettle/store/output_folder.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"
#include "report/card.h"
#include "report/sentence.h"
#include "report/wrap.h"

namespace kettle::app {

namespace fs = std::filesystem;
using Json = nlohmann::json;

void PrintSimulated(bool gpu, bool ingest, bool game) {
  if (gpu) fmt::print("{}", Paint(SimulatedNotice(), Tone::kStrong));
  if (ingest) fmt::print("{}\n", Paint("SIMULATED: the ingest is a stand-in on this machine.", Tone::kStrong));
  if (game)
    fmt::print("{}\n",
               Paint("SIMULATED: the game is a stand-in; its frame rate says little about yours.", Tone::kStrong));
  if (gpu || ingest || game) fmt::print("\n");
}

namespace {

// Of several ingests, with the one that it concerns.
std::string CauseOf(Cause cause, const std::string& ingest) {
  if (ingest.empty()) return Name(cause);
  return cause == Cause::kUplink ? "the way to " + ingest : fmt::format("{} ({})", Name(cause), ingest);
}

Headline HeadlineOf(const RehearsalResult& result, const Diagnosis& diagnosis, const ResultPlace& place) {
  const RehearsalOutcome& outcome = result.outcome;
  const std::string both = fmt::format("{:.0f} s of {} in real time", outcome.seconds,
                                       outcome.files.empty() ? "the stream" : "stream and recording");
  if (result.holds())
    return {result.facts.game ? fmt::format("It holds: {}; no frame was lost, and the game keeps its frame rate.", both)
                              : fmt::format("It holds: {}, and no frame was lost.", both),
            Tone::kGood, "go live with the settings in " + result.card};
  std::string why;
  if (!diagnosis.cures.empty())
    why = fmt::format(" The main cause: {}.", CauseOf(diagnosis.cures.front().cause, diagnosis.cures.front().ingest));
  const std::string next = "fast-kettle diagnose " + place.folder.string();
  if (outcome.holds())
    return {
        fmt::format("It does not hold: no frame was lost, but the game falls from {:.1f} to {:.1f} frames a second.",
                    result.facts.game->alone_fps, result.facts.game->beside_fps),
        Tone::kBad, next};
  if (outcome.lost() > 0)
    return {fmt::format("It does not hold: {} frames lost in {}.{}", outcome.lost(), both, why), Tone::kBad, next};
  return {fmt::format("It does not hold: something broke off in {}.{}", both, why), Tone::kBad, next};
}

void PrintOutcome(const RehearsalResult& result) {
  const RehearsalOutcome& outcome = result.outcome;
  fmt::print("{}\n", Paint(fmt::format("{:.0f} s in real time: {}", outcome.seconds, result.title), Tone::kStrong));
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
  const auto row = [&](const std::string& name, const EncodeSettings& settings, const PacedOutputOutcome& output,
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
  row("stream", result.stream, outcome.stream, outcome.DroppedOf(0), std::nullopt);
  for (std::size_t i = 0; i < std::min(outcome.further.size(), result.further_streams.size()); ++i)
    row(fmt::format("stream {}", i + 2), result.further_streams[i], outcome.further[i],
        outcome.DroppedOf(static_cast<int>(i) + 1), std::nullopt);
  if (!outcome.files.empty())
    row("recording", result.recording, outcome.recording, std::nullopt, outcome.stalled.size());
  fmt::print("{}", table.str());
  fmt::print("  frame clock: {:.2f} ms late (median), {:.2f} ms (p99.9), {:.1f} ms at most\n", outcome.clock_p50_ms,
             outcome.clock_p999_ms, outcome.clock_max_ms);
  for (const IngestOutcome& ingest : outcome.ingests) {
    if (outcome.ingests.size() > 1)
      fmt::print("  {} to {}{}: {} of {} frames dropped\n",
                 ingest.stream == 0 ? "stream" : fmt::format("stream {}", ingest.stream + 1), ingest.name,
                 ingest.simulated ? " (simulated)" : "", ingest.dropped.size(),
                 outcome.StreamOf(ingest.stream).packets);
    if (ingest.connection_losses > 0)
      fmt::print("  the connection to {} was lost {} times ({}); everything else went on\n",
                 outcome.ingests.size() > 1 ? ingest.name : "the ingest", ingest.connection_losses,
                 ingest.connection_trouble);
  }
  for (const RehearsalFile& file : outcome.files)
    fmt::print("  {}: {:.1f} MB{}\n", file.path, static_cast<double>(file.bytes) / 1e6,
               file.trouble.empty() ? "" : "; " + file.trouble);
  if (!outcome.saved.path.empty() || !outcome.saved.trouble.empty())
    fmt::print("  last seconds saved: {}, {:.1f} s, {:.1f} MB{}\n", outcome.saved.path, outcome.saved.seconds,
               static_cast<double>(outcome.saved.bytes) / 1e6,
               outcome.saved.trouble.empty() ? "" : "; " + outcome.saved.trouble);
  if (outcome.kept_bytes > 0)
    fmt::print("  the last seconds in memory: {:.1f} MB at most\n", static_cast<double>(outcome.kept_bytes) / 1e6);
  fmt::print("\n");
}

// What other programs took from it is in its figures too: they say what it made, not who took the rest.
void PrintGame(const GameFrames& game, bool loses) {
  const Tone tone = loses ? Tone::kBad : Tone::kPlain;
  fmt::print("{}\n", Paint(game.simulated ? "What the encodes take from the game (SIMULATED)"
                                          : "What the encodes take from the game",
                           Tone::kStrong));
  Table table({{""}, Number("frames per second"), Number("1 % low")});
  const auto row = [&](const char* name, double fps, double low, Tone its_tone) {
    table.Row({{name}, Number(fmt::format("{:.1f}", fps), its_tone), Number(fmt::format("{:.1f}", low), its_tone)});
  };
  row("without the encodes", game.alone_fps, game.alone_low_fps, Tone::kPlain);
  row("beside them", game.beside_fps, game.beside_low_fps, tone);
  fmt::print("{}  It loses {:.1f} % of its frames. 1 % low: one frame in a hundred is slower than that.\n\n",
             table.str(), game.lost_share() * 100);
}

void PrintClimb(const Climb& climb) {
  fmt::print("{}\n", Paint("Step by step", Tone::kStrong));
  const bool game = std::any_of(climb.rehearsals.begin(), climb.rehearsals.end(),
                                [](const Climbed& one) { return one.game_fps.has_value(); });
  std::vector<Cell> header{Number(""), {"step"}, Number("frames lost")};
  if (game) header.push_back(Number("the game's frames/s"));
  header.push_back({""});
  Table table(header);
  for (std::size_t i = 0; i < climb.rehearsals.size(); ++i) {
    const Climbed& one = climb.rehearsals[i];
    std::vector<Cell> row{Number(fmt::format("{}", i + 1)),
                          {one.step.empty() ? "the plan as it is"
                           : one.taken_back ? "without " + one.step
                                            : one.step},
                          Number(fmt::format("{}", one.lost))};
    if (game) row.push_back(Number(one.game_fps ? fmt::format("{:.1f}", *one.game_fps) : "-"));
    row.push_back({one.holds ? "holds" : "does not hold", one.holds ? Tone::kGood : Tone::kBad});
    table.Row(std::move(row));
  }
  fmt::print("{}", table.str());
  if (climb.holds)
    fmt::print("  It holds with: stream {} {}, {} at {}, {}; {}.\n\n", climb.plan.stream.encoder,
               climb.plan.stream.preset, climb.plan.stream.size.str(), climb.plan.stream.frame_rate.str(),
               climb.plan.stream.bit_rate.str(),
               climb.plan.one_encode
                   ? "recorded as it is"
                   : fmt::format("recording {} {}", climb.plan.recording.encoder, climb.plan.recording.preset));
  else
    fmt::print("  {}.\n\n", Paint("Stopped: " + climb.stopped, Tone::kBad));
}

void PrintStretches(const Diagnosis& diagnosis) {
  const bool near = std::any_of(diagnosis.stretches.begin(), diagnosis.stretches.end(),
                                [](const LossStretch& s) { return s.frames == 0; });
  fmt::print("{}\n",
             Paint(near ? "Lost and nearly lost frames: when and why" : "Lost frames: when and why", Tone::kStrong));
  Table table({Number("from"), Number("to"), Number("frames"), {"loss"}, {"cause"}, {"what the counters show"}});
  for (const LossStretch& s : diagnosis.stretches)
    table.Row({Number(fmt::format("{:.0f} s", s.from_seconds)),
               Number(fmt::format("{:.0f} s", s.to_seconds)),
               s.frames > 0 ? Number(fmt::format("{}", s.frames), Tone::kBad) : Number("nearly"),
               {s.ingest.empty() ? Name(s.loss) : fmt::format("{} (to {})", Name(s.loss), s.ingest)},
               {s.program.empty() ? CauseOf(s.cause, s.ingest) : fmt::format("program \"{}\"", s.program)},
               {Sentence(s.why), Tone::kDim}});
  fmt::print("{}\n", table.str());
}

Json Counted(const PacedOutputOutcome& output, const char* lost_word, std::size_t lost) {
  return {{"niceness", output.niceness},
          {"frames", output.frames},
          {"skipped", output.skipped},
          {lost_word, lost},
          {"packets", output.packets},
          {"mean_kbps", output.mean_kbps},
          {"peak_second_kbps", output.peak_second_kbps},
          {"latency", output.latency}};
}

// What a cure gives up, as the plan measured it.
std::string Cost(const Diagnosis::Cure& cure) {
  if (!cure.step) return "";
  const double points = cure.step->costs;
  return points >= 0 ? fmt::format("; this costs {:.1f} points of how it looks", points)
                     : fmt::format("; this costs nothing: it looks {:.1f} points better", -points);
}

}  // namespace

void PrintDiagnosis(const Diagnosis& diagnosis) {
  if (!diagnosis.stretches.empty()) PrintStretches(diagnosis);
  if (diagnosis.cures.empty()) return;
  fmt::print("{}\n", Paint("What to do", Tone::kStrong));
  bool rate_helps = false;
  for (std::size_t i = 0; i < diagnosis.cures.size(); ++i) {
    const Diagnosis::Cure& cure = diagnosis.cures[i];
    const std::string line =
        fmt::format("{}: {}{}.", CauseOf(cure.cause, cure.ingest), Sentence(cure.action), Cost(cure));
    fmt::print("  {}. {}\n", i + 1, Wrap(line, 5, 5, 110));
    rate_helps = rate_helps || cure.lower_bit_rate_helps;
  }
  const bool line = std::any_of(diagnosis.cures.begin(), diagnosis.cures.end(),
                                [](const Diagnosis::Cure& cure) { return cure.cause == Cause::kUplink; });
  if (!rate_helps)
    fmt::print("  A lower bit rate would not help{}.\n", line ? "" : ": the uplink carried everything that was sent");
  fmt::print("\n");
}

namespace {

std::string RehearsedOnCard(const RehearsalResult& result, const Diagnosis& diagnosis) {
  std::string text = "\nREHEARSED\n" + CardNote(HeadlineOf(result, diagnosis, {}).sentence);
  if (result.climb)
    for (const Climbed& one : result.climb->rehearsals)
      if (!one.step.empty())
        text += CardNote(fmt::format("{}{}: {}", one.taken_back ? "without " : "with ", one.step,
                                     one.holds ? "it holds" : "it does not hold"));
  if (const std::optional<GameFrames>& game = result.facts.game)
    text += CardNote(fmt::format(
        "The game{}: {:.1f} frames per second without the encodes, {:.1f} beside them: it loses {:.1f} %. Its 1 % low: "
        "{:.1f} without, {:.1f} beside.",
        game->simulated ? " (SIMULATED)" : "", game->alone_fps, game->beside_fps, game->lost_share() * 100,
        game->alone_low_fps, game->beside_low_fps));
  if (result.outcome.simulated_ingest()) text += CardNote("SIMULATED: the ingest was a stand-in on this machine.");
  return text;
}

}  // namespace

bool WriteRehearsedCard(const fs::path& folder, const RehearsalResult& result, const Diagnosis& diagnosis) {
  try {
    const auto file = ReadResult(folder, "plan");
    if (!file) return false;
    const Plan plan = file->get<Plan>();
    if (!HasWhatACardTells(plan)) return false;
    WriteFile(folder / "card.txt", SettingsCard(plan) + RehearsedOnCard(result, diagnosis));
    return true;
  } catch (const Json::exception&) {
    return false;
  }
}

void to_json(Json& j, const RehearsalResult& result) {
  const RehearsalOutcome& outcome = result.outcome;
  j = {{"title", result.title},
       {"card", result.card},
       {"settings",
        {{"stream", result.stream}, {"further_streams", result.further_streams}, {"recording", result.recording}}},
       {"first", result.first},
       {"simulated", result.simulated_gpu || outcome.simulated_ingest() || result.has_simulated_game()},
       {"simulated_ingest", outcome.simulated_ingest()},
       {"simulated_gpu", result.simulated_gpu},
       {"load_words", result.load},
       {"seconds", outcome.seconds},
       {"verdict", result.holds() ? "holds" : "does not hold"},
       {"late", outcome.late_frames.size()},
       {"stream", Counted(outcome.stream, "dropped", static_cast<std::size_t>(outcome.dropped()))},
       {"recording", Counted(outcome.recording, "stalled", outcome.stalled.size())},
       {"clock",
        {{"p50_ms", outcome.clock_p50_ms}, {"p999_ms", outcome.clock_p999_ms}, {"max_ms", outcome.clock_max_ms}}},
       {"connection_losses", outcome.connection_losses()},
       {"facts", result.facts},
       {"climb", result.climb},
       {"outcome", outcome}};
}

void from_json(const Json& j, RehearsalResult& result) {
  j.at("title").get_to(result.title);
  j.at("card").get_to(result.card);
  j.at("settings").at("stream").get_to(result.stream);
  j.at("settings").at("further_streams").get_to(result.further_streams);
  j.at("settings").at("recording").get_to(result.recording);
  j.at("first").get_to(result.first);
  j.at("simulated_gpu").get_to(result.simulated_gpu);
  j.at("load_words").get_to(result.load);
  KETTLE_READ_FIELDS(j, result, outcome, facts, climb);
}

void PrintRehearsal(const RehearsalResult& result, const Diagnosis& diagnosis, const ResultPlace& place) {
  const Headline headline = HeadlineOf(result, diagnosis, place);
  PrintHeadline(headline);
  PrintSimulated(result.simulated_gpu, result.outcome.simulated_ingest(), result.has_simulated_game());
  if (!result.load.empty()) fmt::print("Under load: {}.\n\n", result.load);
  if (result.first == First::kStream) fmt::print("The stream has priority over the game, as the plan asks.\n\n");
  if (result.climb) PrintClimb(*result.climb);
  PrintOutcome(result);
  if (result.facts.game) PrintGame(*result.facts.game, result.facts.GameLosesTooMuch());
  PrintDiagnosis(diagnosis);
  if (result.outcome.stream.frames > FrameLog::kMostRows)
    fmt::print("frames.csv holds every lost frame, and the last {} of each encode.\n", FrameLog::kMostRows);
  fmt::print(
      "In {}/: report.html (all of it on one page), rehearsal.json, frames.csv, seconds.csv, and as SVG and PNG {}.\n",
      place.folder.string(), result.facts.game ? "the figures rehearsal and game" : "the figure rehearsal");
  PrintClosing(headline);
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
  Json files = Json::array();
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
