// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>

#include "commands/commands.h"
#include "kettle/comparison/encode_comparison.h"
#include "kettle/history/changes.h"
#include "kettle/input/input.h"
#include "kettle/plan/plan.h"
#include "kettle/units/error.h"
#include "past_runs/keep_run.h"
#include "past_runs/past_run_tables.h"
#include "past_runs/run_json.h"
#include "report/looks.h"
#include "report/sentence.h"
#include "tables/rehearse_tables.h"
#include "terminal.h"

namespace kettle::app {

namespace {

using nlohmann::json;

struct TwoRuns {
  KeptRun before, now;
};

bool IsRelative(const std::string& which) { return which == "last" || which == "before-last"; }

// Two names; "last" beside a number or a name is the last of that run's kind.
TwoRuns FindNamed(const History& history, const std::string& before, const std::string& now, const std::string& kind) {
  if (IsRelative(now) && !IsRelative(before)) {
    const KeptRun first = history.Find(before, kind);
    return {first, history.Find(now, first.kind)};
  }
  const KeptRun second = history.Find(now, kind);
  return {history.Find(before, second.kind), second};
}

// Without names the last two of a kind, the last run's unless one is named; with one name, that and the last of its
// kind.
TwoRuns FindTwo(const History& history, const Request& request) {
  const std::vector<std::string>& named = request.subjects;
  const std::string& kind = request.past.kind;
  TwoRuns two;
  if (named.empty()) {
    two.now = history.Find("last", kind);
    two.before = history.Find("before-last", two.now.kind);
  } else {
    two = FindNamed(history, named[0], named.size() == 2 ? named[1] : "last", kind);
  }
  if (two.before.number == two.now.number)
    FailInput("{} is compared with itself: name two runs; fast-kettle history lists them", Called(two.now));
  return two;
}

std::optional<json> ReadKept(const History& history, const KeptRun& run, const std::string& name) {
  const auto content = history.File(run.number, name);
  if (!content) return std::nullopt;
  json file = json::parse(*content, nullptr, false);
  if (file.is_discarded()) FailMachine("{}: its {} is damaged", Called(run), name);
  MakePlain(file);
  return file;
}

// Of a bench those that it was asked for: its file keeps what earlier runs in the folder measured too.
std::optional<std::vector<Trial>> TrialsOf(const History& history, const KeptRun& run) {
  const auto bench = ReadKept(history, run, "bench.json");
  if (!bench || !bench->contains("trials")) return std::nullopt;
  auto trials = bench->at("trials").get<std::vector<Trial>>();
  if (bench->contains("bench")) {
    const auto asked = bench->at("bench").at("settings").get<std::vector<EncodeSettings>>();
    std::erase_if(trials, [&](const Trial& trial) {
      return std::find(asked.begin(), asked.end(), trial.settings) == asked.end();
    });
  }
  return trials;
}

std::string EncodeWords(const Option& option) {
  const EncodeSettings& s = option.settings;
  return fmt::format("{}, {} at {}{}", option.title(), s.size.str(), s.frame_rate.str(),
                     IsQuality(s.rate_control) ? "" : ", " + s.bit_rate.str());
}

using Facts = std::vector<std::pair<std::string, std::string>>;

Facts PlanFacts(const json& file) {
  const Plan plan = file.get<Plan>();
  Facts facts{{"verdict", Name(plan.verdict())}};
  if (!plan.chosen) return facts;
  const auto add = [&](const std::string& role, const Option& option) {
    facts.emplace_back(role, EncodeWords(option));
    if (option.scored()) facts.emplace_back(role + " looks", Looks(option.score, option.score_interval));
    facts.emplace_back(role + " alone",
                       fmt::format("{:.0f} % headroom, {:.2f} cores", option.headroom * 100, option.cpu_cores));
  };
  add("stream", plan.chosen->stream);
  for (std::size_t i = 0; i < plan.chosen->further.size(); ++i)
    add(fmt::format("stream {}", i + 2), plan.chosen->further[i].option);
  if (!plan.chosen->one_encode && plan.container != "none") add("recording", plan.chosen->recording);
  if (!plan.proving.attempts.empty()) {
    const Proof& proof = plan.proving.attempts.back().proof;
    facts.emplace_back("skipped in the proof run", fmt::format("{}", proof.Total(plan.chosen->one_encode).skipped));
  }
  return facts;
}

Facts RehearsalFacts(const json& file) {
  const auto result = file.get<RehearsalResult>();
  const RehearsalOutcome& outcome = result.outcome;
  const auto losses = [](const PacedOutputOutcome& output) {
    return fmt::format("{} of {}", output.skipped, output.frames);
  };
  Facts facts{{"length", fmt::format("{:.0f} s", outcome.seconds)},
              {"stream", result.stream.encoder + " " + result.stream.preset},
              {"frames lost in all", fmt::format("{}", outcome.lost())},
              {"late at the source", fmt::format("{}", outcome.late_frames.size())},
              {"skipped by the stream's encoder", losses(outcome.stream)},
              {"skipped by the recording's encoder", losses(outcome.recording)},
              {"stalled at the disk", fmt::format("{}", outcome.stalled.size())},
              {"the stream's encoder, 99 % within", fmt::format("{:.0f} ms", outcome.stream.latency.p99_ms)}};
  if (result.facts.game)
    facts.emplace_back("the game beside them", fmt::format("{:.1f} frames a second", result.facts.game->beside_fps));
  return facts;
}

Facts SurveyFacts(const json& file) {
  Facts facts;
  for (const json& encoder : file.at("encoders")) {
    const std::string card = encoder.value("device_name", "");
    std::string name = encoder.at("name").get<std::string>();
    if (const int index = encoder.value("device_index", 0); index > 0)  // counted by the interface: the name tells more
      name += " on " + (card.empty() ? fmt::format("GPU {}", index) : card.substr(0, card.find(", driver")));
    facts.emplace_back(name, encoder.at("works").get<bool>() ? "works" : encoder.at("reason").get<std::string>());
  }
  return facts;
}

Facts UplinkFacts(const json& file) {
  const auto kbps = [&](const char* key) {
    return file.contains(key) && file[key].is_number() ? fmt::format("{:.0f} kbit/s", file[key].get<double>())
                                                       : std::string();
  };
  return {
      {"carried", kbps("carried_kbps")}, {"for the stream", kbps("budget_kbps")}, {"of it video", kbps("video_kbps")}};
}

// Side by side, in the order of the later run; what is the same in both and unimportant stays out of a survey's.
std::vector<SideBySide> Join(const Facts& before, const Facts& now, bool only_different) {
  std::vector<SideBySide> joined;
  std::map<std::string, std::string> old(before.begin(), before.end());
  for (const auto& [what, value] : now) {
    joined.push_back({what, old.count(what) ? old[what] : "", value});
    old.erase(what);
  }
  for (const auto& [what, value] : before)
    if (old.count(what)) joined.push_back({what, value, ""});
  if (only_different) std::erase_if(joined, [](const SideBySide& fact) { return fact.before == fact.now; });
  return joined;
}

struct Kind {
  const char* name;
  const char* file;
  Facts (*facts)(const json&);
  bool only_different;
};
const Kind kKinds[] = {{"plan", "plan.json", PlanFacts, false},
                       {"rehearsal", "rehearsal.json", RehearsalFacts, false},
                       {"survey", "survey.json", SurveyFacts, true},
                       {"uplink", "uplink.json", UplinkFacts, false}};

std::vector<SideBySide> FactsOf(const History& history, const TwoRuns& two) {
  if (two.before.kind != two.now.kind) return {};
  for (const Kind& kind : kKinds)
    if (two.now.kind == kind.name) {
      const auto before = ReadKept(history, two.before, kind.file), now = ReadKept(history, two.now, kind.file);
      if (before && now) return Join(kind.facts(*before), kind.facts(*now), kind.only_different);
    }
  return {};
}

// Plans may have measured other sizes: then there is nothing to say of encodes, and yet much of the plans.
std::optional<EncodeComparison> EncodesOf(const History& history, const TwoRuns& two) {
  const auto before = TrialsOf(history, two.before), now = TrialsOf(history, two.now);
  if (before && now && (two.before.kind == "bench" || two.now.kind == "bench")) return CompareEncodes(*before, *now);
  if (!before || !now) return std::nullopt;
  try {
    return CompareEncodes(*before, *now);
  } catch (const Error&) {
    return std::nullopt;
  }
}

std::string Answer(const TwoRuns& two, const std::optional<EncodeComparison>& encodes,
                   const std::vector<SideBySide>& facts, const std::vector<Message>& changes) {
  if (encodes) return ComparisonSentence(*encodes, changes);
  if (two.now.kind == "survey") {
    if (facts.empty() && changes.empty()) return "No difference: the same machine, the same encoders.";
    return fmt::format("Encoders that answer differently now: {}; changes to the machine: {}.", facts.size(),
                       changes.size());
  }
  return fmt::format("Before: {}. Now: {}.", Sentence(two.before.verdict), Sentence(two.now.verdict));
}

json FactsJson(const std::vector<SideBySide>& facts) {
  json all = json::array();
  for (const SideBySide& fact : facts) all.push_back({{"what", fact.what}, {"before", fact.before}, {"now", fact.now}});
  return all;
}

}  // namespace

int RunCompare(const Request& request) {
  const auto history = OpenHistory();
  const TwoRuns two = FindTwo(*history, request);
  try {
    const std::vector<Message> changes = WhatChanged(two.before.circumstances, two.now.circumstances);
    const std::optional<EncodeComparison> encodes = EncodesOf(*history, two);
    const std::vector<SideBySide> facts = FactsOf(*history, two);
    if (!encodes && facts.empty() && two.now.kind != "survey")
      FailInput("{} is a {} and {} a {}: they have nothing that could be compared", Called(two.before), two.before.kind,
                Called(two.now), two.now.kind);
    const std::string answer = Answer(two, encodes, facts, changes);
    if (request.json) {
      json body = {{"before", RunJson(two.before)},
                   {"now", RunJson(two.now)},
                   {"answer", answer},
                   {"changed", changes},
                   {"facts", FactsJson(facts)}};
      if (encodes) body["encodes"] = *encodes;
      PrintJson(body);
      return 0;
    }
    PrintHeadline({answer, Tone::kStrong, ""});
    const auto line = [](const KeptRun& run) {
      return fmt::format("{}, {} of {}{}", Called(run), run.kind, LocalTime(run.utc),
                         run.simulated ? " (simulated GPU)" : "");
    };
    fmt::print("  before: {}\n  now:    {}\n", line(two.before), line(two.now));
    if (!facts.empty()) PrintSideBySide(facts);
    if (encodes) PrintEncodes(*encodes);
    PrintChanges(changes);
    return 0;
  } catch (const json::exception& error) {
    FailInput("{} and {} cannot be compared: another version wrote one of them ({})", Called(two.before),
              Called(two.now), error.what());
  }
}

}  // namespace kettle::app
