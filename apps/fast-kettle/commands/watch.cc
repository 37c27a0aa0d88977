// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <iostream>
#include <nlohmann/json.hpp>
#include <thread>

#include "commands/commands.h"
#include "kettle/machine/cpu_time.h"
#include "kettle/plan/plan_file.h"
#include "kettle/units/csv.h"
#include "kettle/units/error.h"
#include "kettle/watching/trouble.h"
#include "past_runs/keep_run.h"
#include "prepare/questions.h"
#include "process/unwritten.h"
#include "report/sentence.h"
#include "report/wrap.h"
#include "timeline/watch_figure.h"

namespace kettle::app {

namespace {

using nlohmann::json;

constexpr double kLookSeconds = 2;  // for programs that stream

[[noreturn]] void RefuseSeveral(const std::vector<Streamer>& found) {
  std::string list;
  for (const Streamer& streamer : found)
    list += fmt::format("{}{} {} ({:.0f} kbit/s to {})", list.empty() ? "" : ", ", streamer.pid, streamer.name,
                        streamer.kbps, streamer.remote);
  FailInput("several programs send that much: {}; say which with --pid", list);
}

Streamer AskWhich(const std::vector<Streamer>& found) {
  for (const Streamer& streamer : found)
    fmt::print("  {:>7}  {}, {:.0f} kbit/s to {}\n", streamer.pid, streamer.name, streamer.kbps, streamer.remote);
  const auto named = [&](const std::string& answer) {
    return std::find_if(found.begin(), found.end(), [&](const Streamer& streamer) {
      return std::to_string(streamer.pid) == answer || streamer.name == answer;
    });
  };
  const auto check = [&](const std::string& answer) {
    if (named(answer) == found.end()) FailInput("\"{}\" is none of them", answer);
  };
  return *named(Questions(std::cin).Ask("Several programs send that much. Which is your stream? Its number or its name",
                                        std::to_string(found.front().pid), check));
}

// The one program that streams. Throws Error(kInput) if there is none, or several.
Streamer FindStreamer(const WatchOptions& options, Progress& progress) {
  progress.Stage("looking for a program that streams", 1);
  std::vector<Streamer> found = FindStreamers(kLookSeconds);
  progress.Clear();
  if (!options.program.empty())
    std::erase_if(found, [&](const Streamer& streamer) { return streamer.name != options.program; });
  if (found.empty())
    FailInput(
        "{} sends a stream now (200 kbit/s or more, by a program of yours): start streaming first, or name it with "
        "--pid",
        options.program.empty() ? "nothing" : fmt::format("no program \"{}\"", options.program));
  if (found.size() == 1) return found.front();
  if (!isatty(STDIN_FILENO) || !isatty(STDOUT_FILENO)) RefuseSeveral(found);
  return AskWhich(found);
}

WatchFacts FactsOf(const Session& session) {
  const WatchOptions& options = session.request().watch;
  WatchFacts facts;
  facts.game = options.game;
  facts.cpu_cores = session.machine().processor.capacity();
  if (!options.plan.empty()) {
    const PlanFile plan = ReadPlanFile(options.plan);
    facts.planned_kbps = plan.stream.bit_rate.kbps() + plan.audio_kbps;
    if (plan.planned_cores > 0) facts.planned_cores = plan.planned_cores;
  }
  return facts;
}

std::string Line(const WatchSecond& s, const WatchFacts& facts, double usual_kbps) {
  const Nearness near = NearestLimit(s, facts, usual_kbps);
  std::string text = fmt::format(
      "{:6.0f} s  {:6.0f} kbit/s  {:4.0f} ms  {:4.1f} s waiting  {:5.2f} cores  {:5.2f} idle", s.start_seconds,
      s.sent_kbps, s.round_trip_ms, usual_kbps > 0 ? s.unsent_kbit / usual_kbps : 0, s.cpu_cores, s.idle_cores);
  text += fmt::format("  {:5.1f} MB/s recorded", s.recorded_kbps / 8000);
  return text + "  " +
         Paint(Sentence(near.what), near.share >= 1      ? Tone::kBad
                                    : near.share >= 0.85 ? Tone::kStrong
                                                         : Tone::kDim);
}

// Until the time is over, the program ends, or somebody stops it.
std::vector<WatchSecond> WatchOn(Watch& watch, const WatchOptions& options, bool tells) {
  std::vector<WatchSecond> seconds;
  const auto start = std::chrono::steady_clock::now();
  for (int next = 1; !StopRequested() && (options.seconds <= 0 || next <= options.seconds); ++next) {
    const auto due = start + std::chrono::seconds(next);
    while (!StopRequested() && std::chrono::steady_clock::now() < due)
      std::this_thread::sleep_until(std::min(due, std::chrono::steady_clock::now() + std::chrono::milliseconds(200)));
    const auto second = watch.Next();
    if (!second) break;
    seconds.push_back(*second);
    if (tells)
      fmt::print("{}\n", Line(*second, watch.facts(), watch.facts().planned_kbps.value_or(UsualKbps(seconds))));
  }
  return seconds;
}

std::string SecondsCsv(const std::vector<WatchSecond>& seconds) {
  static const std::vector<CsvColumn<WatchSecond>> columns = {
      CsvField("start_seconds", &WatchSecond::start_seconds, 2),
      CsvField("cpu_cores", &WatchSecond::cpu_cores, 3),
      CsvField("wait_share", &WatchSecond::wait_share, 3),
      CsvField("game_cores", &WatchSecond::game_cores, 3),
      CsvField("other_cores", &WatchSecond::other_cores, 3),
      CsvField("stolen_cores", &WatchSecond::stolen_cores, 3),
      CsvField("idle_cores", &WatchSecond::idle_cores, 3),
      CsvField("sent_kbps", &WatchSecond::sent_kbps, 0),
      CsvField("unsent_kbit", &WatchSecond::unsent_kbit, 0),
      CsvField("round_trip_ms", &WatchSecond::round_trip_ms, 1),
      CsvField("repeated", &WatchSecond::repeated),
      CsvField("recorded_kbps", &WatchSecond::recorded_kbps, 0),
      CsvField("gpu_compute", &WatchSecond::gpu_compute, 3),
      CsvField("gpu_encoder", &WatchSecond::gpu_encoder, 3),
      CsvField("throttle_events", &WatchSecond::throttle_events),
      CsvField("temperature", &WatchSecond::temperature, 1)};
  return Csv(columns, seconds);
}

std::string CauseOf(const Trouble& trouble) {
  return trouble.program.empty() ? Name(trouble.cause) : fmt::format("{} ({})", Name(trouble.cause), trouble.program);
}

std::string Answer(const std::vector<WatchSecond>& seconds, const WatchFacts& facts, const WatchVerdict& verdict) {
  const double length = static_cast<double>(seconds.size());
  if (verdict.troubles.empty())
    return fmt::format("Nothing starved {} in {:.0f} s: {:.0f} kbit/s to {}.", facts.program, length,
                       UsualKbps(seconds), facts.remote);
  double starved = 0;
  for (const Trouble& trouble : verdict.troubles) starved += trouble.to_seconds - trouble.from_seconds;
  const auto main = std::find_if(verdict.troubles.begin(), verdict.troubles.end(),
                                 [&](const Trouble& trouble) { return trouble.cause == verdict.cures.front().cause; });
  return fmt::format("{} was starved for {:.0f} of {:.0f} s. The main cause: {}.", facts.program, starved, length,
                     CauseOf(*main));
}

void PrintVerdict(const WatchVerdict& verdict) {
  constexpr std::size_t kColumns = 110;
  for (const Trouble& trouble : verdict.troubles)
    fmt::print("  {:.0f} to {:.0f} s  {}\n     {}\n", trouble.from_seconds, trouble.to_seconds,
               Paint(CauseOf(trouble), Tone::kBad), Wrap(Sentence(trouble.why), 5, 5, kColumns));
  if (!verdict.cures.empty()) fmt::print("\n{}\n", Paint("What to do", Tone::kStrong));
  for (const WatchVerdict::Cure& cure : verdict.cures)
    fmt::print("  - {} ({:.0f} s): {}\n", Name(cure.cause), cure.seconds, Wrap(Sentence(cure.action), 4, 4, kColumns));
  if (!verdict.notes.empty()) fmt::print("\n{}\n", Paint("To know", Tone::kStrong));
  for (const Message& note : verdict.notes) fmt::print("  - {}\n", Sentence(note));
  if (!verdict.troubles.empty() || !verdict.notes.empty()) fmt::print("\n");
}

void Keep(const Session& session, const std::string& answer, const WatchFacts& facts) {
  KeepRun(session, {"watch", facts.program, Verbatim(answer), false, {"watch.json"}});
}

}  // namespace

int RunWatch(Session& session) {
  const WatchOptions& options = session.request().watch;
  WatchFacts facts = FactsOf(session);
  if (options.pid > 0) {
    facts.pid = options.pid;
  } else {
    const Streamer streamer = FindStreamer(options, session.progress());
    facts.pid = streamer.pid;
    facts.remote = streamer.remote;
  }
  Watch watch(facts);
  const bool tells = isatty(STDOUT_FILENO) && !session.request().json;
  if (tells)
    fmt::print("Watching {} ({}), from outside. Ctrl-C ends it and tells what was seen.\n", watch.facts().program,
               facts.pid);
  else
    session.progress().Stage(fmt::format("watching {}", watch.facts().program), 1);
  const double own_before = OwnCpuSeconds();
  const std::vector<WatchSecond> seconds = WatchOn(watch, options, tells);
  if (seconds.empty())
    FailInput("{} ({}) ended before it could be watched for a second", watch.facts().program, facts.pid);
  const double own_cores = (OwnCpuSeconds() - own_before) / static_cast<double>(seconds.size());
  const WatchVerdict verdict = FindTroubles(seconds, watch.facts());
  const std::string answer = Answer(seconds, watch.facts(), verdict);
  json body = {{"facts", watch.facts()},      {"answer", answer},
               {"verdict", verdict},          {"seconds", seconds},
               {"watching_cores", own_cores}, {"ended", !IsRunning(facts.pid)}};
  Unwritten unwritten;
  unwritten.Try([&] { session.Write("watch", body); });
  unwritten.Try([&] { WriteFile(session.out() / "seconds.csv", SecondsCsv(seconds)); });
  unwritten.Try([&] { session.DrawChart(MakeWatchChart(seconds, watch.facts(), verdict, answer)); });
  if (session.request().json) {
    PrintJson(body);
  } else {
    const Headline headline{answer, verdict.troubles.empty() ? Tone::kGood : Tone::kBad, ""};
    if (tells) fmt::print("\n");
    PrintHeadline(headline);
    PrintVerdict(verdict);
    if (!IsRunning(facts.pid)) fmt::print("{} ended while it was watched.\n", watch.facts().program);
    fmt::print("Watching took {:.1f} % of one core. In {}/: watch.json, seconds.csv, watch.svg and .png.\n",
               own_cores * 100, session.out().string());
  }
  Keep(session, answer, watch.facts());
  return unwritten.any() ? 3 : verdict.troubles.empty() ? 0 : 1;
}

}  // namespace kettle::app
