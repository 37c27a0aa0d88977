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
constexpr double kStopped = 0.1;         // of the usual rate

// What was usual over all that was watched.
struct Usual {
  double sent_kbps = 0, recorded_kbps = 0;
};

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

std::optional<Trouble> LineTrouble(const WatchSecond& s, const Usual& usual) {
  if (usual.sent_kbps <= 0 || s.unsent_kbit < kQueueSeconds * usual.sent_kbps) return std::nullopt;
  return Trouble{Cause::kUplink, 0, 0, "",
                 Message{"watch.queue",
                         {{"seconds", s.unsent_kbit / usual.sent_kbps},
                          {"kbps", s.sent_kbps},
                          {"usual", usual.sent_kbps},
                          {"repeated", s.repeated}}}};
}

std::optional<Trouble> DiskTrouble(const WatchSecond& s, const Usual& usual) {
  if (usual.recorded_kbps < kRecordsKbps || s.recorded_kbps > kStopped * usual.recorded_kbps) return std::nullopt;
  return Trouble{Cause::kDisk, 0, 0, "", Message{"watch.recording-stopped", {{"usual", usual.recorded_kbps / 8000}}}};
}

// A second of one kind may be chance; how many in a row are none.
struct Kind {
  int least_seconds;
  std::optional<Trouble> (*find)(const WatchSecond&, const WatchFacts&, const Usual&);
};
// What is found first counts: a full line holds the program up too, and it then computes less.
const Kind kKinds[] = {
    {2, [](const WatchSecond& s, const WatchFacts&, const Usual& u) { return LineTrouble(s, u); }},
    {3, [](const WatchSecond& s, const WatchFacts& f, const Usual&) { return ProcessorTrouble(s, f); }},
    {3, [](const WatchSecond& s, const WatchFacts&, const Usual& u) { return DiskTrouble(s, u); }},
    {6, [](const WatchSecond& s, const WatchFacts& f, const Usual&) { return ThreadTrouble(s, f); }},
};

bool SameTrouble(const Trouble& a, const Trouble& b) { return a.cause == b.cause && a.program == b.program; }

constexpr double kGapSeconds = 2.5;  // between seconds that still belong together

// The stretches of one kind, shorter ones than tell anything left out.
std::vector<Trouble> StretchesOf(const Kind& kind, const std::vector<WatchSecond>& seconds, const WatchFacts& facts,
                                 const Usual& usual) {
  std::vector<Trouble> stretches;
  std::vector<int> counts;
  for (const WatchSecond& second : seconds) {
    auto trouble = kind.find(second, facts, usual);
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

void AddNotes(const std::vector<WatchSecond>& seconds, const WatchFacts& facts, const Usual& usual,
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
  if (facts.planned_kbps && usual.sent_kbps > 0 &&
      std::abs(usual.sent_kbps - *facts.planned_kbps) > kDiffers * *facts.planned_kbps)
    verdict.notes.push_back(Message{"watch.other-rate", {{"planned", *facts.planned_kbps}, {"sent", usual.sent_kbps}}});
  if (throttled > 0) verdict.notes.push_back(Message{"watch.throttled", {{"count", throttled}}});
}

}  // namespace

double UsualKbps(const std::vector<WatchSecond>& seconds) {
  std::vector<double> sent;
  for (const WatchSecond& second : seconds) sent.push_back(second.sent_kbps);
  return Median(sent).value_or(0);
}

WatchVerdict FindTroubles(const std::vector<WatchSecond>& seconds, const WatchFacts& facts) {
  std::vector<double> recorded;
  for (const WatchSecond& second : seconds) recorded.push_back(second.recorded_kbps);
  const Usual usual{facts.planned_kbps.value_or(UsualKbps(seconds)), Quantile(recorded, 0.75).value_or(0)};
  WatchVerdict verdict;
  for (const Kind& kind : kKinds)
    for (Trouble& trouble : StretchesOf(kind, seconds, facts, usual))
      if (std::none_of(verdict.troubles.begin(), verdict.troubles.end(),
                       [&](const Trouble& earlier) { return Overlap(earlier, trouble); }))
        verdict.troubles.push_back(std::move(trouble));
  std::stable_sort(verdict.troubles.begin(), verdict.troubles.end(),
                   [](const Trouble& a, const Trouble& b) { return a.from_seconds < b.from_seconds; });
  AddCures(facts, verdict);
  AddNotes(seconds, facts, {UsualKbps(seconds), usual.recorded_kbps}, verdict);
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
