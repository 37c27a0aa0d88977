// SPDX-License-Identifier: Apache-2.0
#include "kettle/watching/trouble.h"

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>

#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr double kIdleShare = 0.06;      // of the processors: less is full
constexpr double kWaits = 0.2;           // of the time that its threads could run
constexpr double kAnotherShare = 0.15;   // of the processors, that another takes part in it from
constexpr double kThreadAtLimit = 0.96;  // of one processor
constexpr double kQueueSeconds = 1.0;    // of the stream, waiting in the kernel
constexpr double kRecordsKbps = 400;     // less is no recording
constexpr double kLeastPause = 4;        // seconds

std::optional<Trouble> ProcessorTrouble(const WatchSecond& s, const WatchFacts& facts) {
  const double all = facts.cpu_cores;
  if (s.idle_cores > kIdleShare * all || s.wait_share < kWaits) return std::nullopt;
  Trouble trouble;
  const Message full{"watch.full", {{"percent", s.wait_share * 100}, {"cores", s.cpu_cores}, {"all", all}}};
  trouble.why = full;
  if (s.stolen_cores >= kAnotherShare * all && s.stolen_cores >= std::max(s.game_cores, s.other_program_cores)) {
    trouble.cause = Cause::kStolen;
    trouble.why = Message{"watch.full-stolen", {{"full", full}, {"stolen", s.stolen_cores}}};
  } else if (s.game_cores >= kAnotherShare * all && s.game_cores >= s.other_program_cores) {
    trouble.cause = Cause::kGame;
    trouble.why = Message{"watch.full-game", {{"full", full}, {"game", facts.game}, {"taken", s.game_cores}}};
  } else if (s.other_program_cores >= kAnotherShare * all) {
    trouble.cause = Cause::kOtherProgram;
    trouble.program = s.other_program;
    trouble.why =
        Message{"watch.full-other", {{"full", full}, {"program", s.other_program}, {"taken", s.other_program_cores}}};
  } else {
    trouble.cause = Cause::kStreamEncoder;
  }
  return trouble;
}

// One of its threads can do no more, though processors are idle.
std::optional<Trouble> ThreadTrouble(const WatchSecond& s, const WatchFacts& facts) {
  if (s.busiest_thread_cores < kThreadAtLimit || facts.cpu_cores < 1.5) return std::nullopt;
  return Trouble{Cause::kStreamEncoder, 0, 0, "", Message{"watch.thread-at-limit", {{"thread", s.busiest_thread}}}};
}

std::optional<Trouble> LineTrouble(const WatchSecond& s, double usual_kbps) {
  if (usual_kbps <= 0 || s.unsent_kbit < kQueueSeconds * usual_kbps) return std::nullopt;
  return Trouble{Cause::kUplink, 0, 0, "",
                 Message{"watch.queue",
                         {{"seconds", s.unsent_kbit / usual_kbps},
                          {"kbps", s.sent_kbps},
                          {"usual", usual_kbps},
                          {"repeated", s.repeated}}}};
}

// Seconds in a row in which the recording did not grow, each as where it begins and how many.
std::vector<std::pair<std::size_t, std::size_t>> Gaps(const std::vector<WatchSecond>& seconds) {
  std::vector<std::pair<std::size_t, std::size_t>> gaps;
  for (std::size_t i = 0; i < seconds.size(); ++i) {
    if (seconds[i].recorded_kbps > 0) continue;
    if (gaps.empty() || gaps.back().first + gaps.back().second != i) gaps.emplace_back(i, 0);
    ++gaps.back().second;
  }
  return gaps;
}

// Programs write in bursts of a second or of several: only a pause much longer than their usual one is a disk's.
std::vector<Trouble> DiskTroubles(const std::vector<WatchSecond>& seconds) {
  std::vector<double> recorded, pauses;
  for (const WatchSecond& second : seconds) recorded.push_back(second.recorded_kbps);
  const double mean = Mean(recorded).value_or(0);
  if (mean < kRecordsKbps) return {};
  const auto gaps = Gaps(seconds);
  for (const auto& gap : gaps) pauses.push_back(static_cast<double>(gap.second));
  // The median is of many; of few pauses the shortest is usual.
  const double usual = gaps.size() < 3 ? 0 : *Median(pauses);
  std::vector<Trouble> troubles;
  for (const auto& [from, count] : gaps)
    if (static_cast<double>(count) >= std::max(kLeastPause, 2 * usual + 2) && from > 0)
      troubles.push_back({Cause::kDisk, seconds[from].start_seconds,
                          seconds[from].start_seconds + static_cast<double>(count), "",
                          Message{"watch.recording-stopped", {{"seconds", count}, {"usual", mean / 8000}}}});
  return troubles;
}

// A second of one kind may be chance; how many in a row are none.
struct Kind {
  int least_seconds;
  std::optional<Trouble> (*find)(const WatchSecond&, const WatchFacts&, double usual_kbps);
};
// What is found first counts: a full line holds the program up too, and it then computes less.
const Kind kKinds[] = {
    {2, [](const WatchSecond& s, const WatchFacts&, double usual) { return LineTrouble(s, usual); }},
    {3, [](const WatchSecond& s, const WatchFacts& f, double) { return ProcessorTrouble(s, f); }},
    {6, [](const WatchSecond& s, const WatchFacts& f, double) { return ThreadTrouble(s, f); }},
};

bool SameTrouble(const Trouble& a, const Trouble& b) { return a.cause == b.cause && a.program == b.program; }

constexpr double kGapSeconds = 2.5;  // between seconds that still belong together

// The stretches of one kind, shorter ones than tell anything left out.
std::vector<Trouble> StretchesOf(const Kind& kind, const std::vector<WatchSecond>& seconds, const WatchFacts& facts,
                                 double usual_kbps) {
  std::vector<Trouble> stretches;
  std::vector<int> counts;
  for (const WatchSecond& second : seconds) {
    auto trouble = kind.find(second, facts, usual_kbps);
    if (!trouble) continue;
    trouble->from_seconds = second.start_seconds;
    trouble->to_seconds = second.start_seconds + 1;
    if (!stretches.empty() && SameTrouble(stretches.back(), *trouble) &&
        second.start_seconds - stretches.back().to_seconds < kGapSeconds) {
      stretches.back().to_seconds = trouble->to_seconds;
      ++counts.back();
    } else {
      stretches.push_back(std::move(*trouble));
      counts.push_back(1);
    }
  }
  std::vector<Trouble> told;
  for (std::size_t i = 0; i < stretches.size(); ++i)
    if (counts[i] >= kind.least_seconds) told.push_back(std::move(stretches[i]));
  return told;
}

bool Overlap(const Trouble& a, const Trouble& b) {
  return a.from_seconds < b.to_seconds + kGapSeconds && b.from_seconds < a.to_seconds + kGapSeconds;
}

Message ActionFor(const Trouble& trouble, const WatchFacts& facts) {
  switch (trouble.cause) {
    case Cause::kUplink: return Message{"watch.do-line"};
    case Cause::kDisk: return Message{"watch.do-disk"};
    case Cause::kStolen: return Message{"watch.do-stolen"};
    case Cause::kGame: return Message{"watch.do-game", {{"game", facts.game}}};
    case Cause::kOtherProgram: return Message{"watch.do-other", {{"program", trouble.program}}};
    default: return Message{"watch.do-encoder"};
  }
}

void AddCures(const WatchFacts& facts, WatchVerdict& verdict) {
  for (const Trouble& trouble : verdict.troubles) {
    const Message action = ActionFor(trouble, facts);
    const auto same = std::find_if(verdict.cures.begin(), verdict.cures.end(),
                                   [&](const WatchVerdict::Cure& cure) { return cure.action == action; });
    const double seconds = trouble.to_seconds - trouble.from_seconds;
    if (same == verdict.cures.end())
      verdict.cures.push_back({trouble.cause, seconds, action});
    else
      same->seconds += seconds;
  }
  std::stable_sort(verdict.cures.begin(), verdict.cures.end(),
                   [](const auto& a, const auto& b) { return a.seconds > b.seconds; });
}

void AddNotes(const std::vector<WatchSecond>& seconds, const WatchFacts& facts, double usual_kbps,
              WatchVerdict& verdict) {
  constexpr double kDiffers = 0.15;
  std::vector<double> cores;
  int throttled = 0;
  for (const WatchSecond& second : seconds) {
    cores.push_back(second.cpu_cores);
    throttled += second.throttle_events;
  }
  const double taken = Median(cores).value_or(0);
  if (facts.planned_cores && std::abs(taken - *facts.planned_cores) > kDiffers * std::max(0.3, *facts.planned_cores))
    verdict.notes.push_back(Message{"watch.other-cores", {{"planned", *facts.planned_cores}, {"taken", taken}}});
  if (facts.planned_kbps && usual_kbps > 0 &&
      std::abs(usual_kbps - *facts.planned_kbps) > kDiffers * *facts.planned_kbps)
    verdict.notes.push_back(Message{"watch.other-rate", {{"planned", *facts.planned_kbps}, {"sent", usual_kbps}}});
  if (throttled > 0) verdict.notes.push_back(Message{"watch.throttled", {{"count", throttled}}});
}

}  // namespace

double UsualKbps(const std::vector<WatchSecond>& seconds) {
  std::vector<double> sent;
  for (const WatchSecond& second : seconds) sent.push_back(second.sent_kbps);
  return Median(sent).value_or(0);
}

WatchVerdict FindTroubles(const std::vector<WatchSecond>& seconds, const WatchFacts& facts) {
  const double usual_kbps = UsualKbps(seconds);
  WatchVerdict verdict;
  const auto add = [&](std::vector<Trouble> troubles) {
    for (Trouble& trouble : troubles)
      if (std::none_of(verdict.troubles.begin(), verdict.troubles.end(),
                       [&](const Trouble& earlier) { return Overlap(earlier, trouble); }))
        verdict.troubles.push_back(std::move(trouble));
  };
  for (const Kind& kind : kKinds) add(StretchesOf(kind, seconds, facts, facts.planned_kbps.value_or(usual_kbps)));
  add(DiskTroubles(seconds));
  std::stable_sort(verdict.troubles.begin(), verdict.troubles.end(),
                   [](const Trouble& a, const Trouble& b) { return a.from_seconds < b.from_seconds; });
  AddCures(facts, verdict);
  AddNotes(seconds, facts, usual_kbps, verdict);
  return verdict;
}

Nearness NearestLimit(const WatchSecond& s, const WatchFacts& facts, double usual_kbps) {
  std::vector<Nearness> all{
      {Message{"watch.near-processors", {{"percent", (1 - s.idle_cores / facts.cpu_cores) * 100}}},
       1 - s.idle_cores / facts.cpu_cores},
      {Message{"watch.near-thread", {{"thread", s.busiest_thread}, {"percent", s.busiest_thread_cores * 100}}},
       s.busiest_thread_cores},
      {Message{"watch.near-engine", {{"percent", s.gpu_encoder * 100}}}, s.gpu_encoder}};
  if (usual_kbps > 0) {
    const double waiting = s.unsent_kbit / usual_kbps;
    all.push_back({Message{"watch.near-line", {{"seconds", waiting}}}, waiting / kQueueSeconds});
  }
  return *std::max_element(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.share < b.share; });
}

void to_json(nlohmann::json& json, const WatchVerdict& verdict) {
  json = {{"troubles", nlohmann::json::array()}, {"cures", nlohmann::json::array()}, {"notes", verdict.notes}};
  for (const Trouble& t : verdict.troubles) {
    nlohmann::json one = {
        {"cause", Name(t.cause)}, {"from_seconds", t.from_seconds}, {"to_seconds", t.to_seconds}, {"why", t.why}};
    if (!t.program.empty()) one["program"] = t.program;
    json["troubles"].push_back(std::move(one));
  }
  for (const WatchVerdict::Cure& cure : verdict.cures)
    json["cures"].push_back({{"cause", Name(cure.cause)}, {"seconds", cure.seconds}, {"do", cure.action}});
}

}  // namespace kettle
