// SPDX-License-Identifier: Apache-2.0
#include "past_runs/past_run_tables.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <ctime>

#include "kettle/encoders/catalogue.h"
#include "kettle/history/changes.h"
#include "kettle/history/history.h"
#include "report/sentence.h"
#include "terminal.h"

namespace kettle::app {

namespace {

// No more than `most` characters.
std::string Short(const std::string& text, std::size_t most) {
  if (text.size() <= most) return text;
  std::size_t end = most - 3;
  while (end > 0 && (text[end] & 0xc0) == 0x80) --end;  // between two characters of UTF-8
  return text.substr(0, end) + "...";
}

std::string ShortChanges(const std::vector<Message>& changes) {
  constexpr std::size_t kTold = 2;
  if (changes.empty()) return "";
  std::vector<Message> told(changes.begin(),
                            changes.begin() + static_cast<std::ptrdiff_t>(std::min(kTold, changes.size())));
  std::string text = Sentence(told);
  if (changes.size() > kTold) text += fmt::format(", {} more", changes.size() - kTold);
  return text;
}

std::string TitleOf(const EncodeSettings& s) { return s.encoder + " " + s.preset; }

std::string Picture(const EncodeSettings& s) {
  return fmt::format("{} at {}{}", s.size.str(), s.frame_rate.str(),
                     IsQuality(s.rate_control) ? "" : ", " + s.bit_rate.str());
}

std::string Encodes(std::size_t count) { return fmt::format("{} {}", count, count == 1 ? "encode" : "encodes"); }

std::string Percent(double share) { return fmt::format("{:+.1f} %", share * 100); }

std::string ChangedBy(double change, double noise) {
  return fmt::format("{:.0f} % {} (\u00b1 {:.0f})", std::abs(change) * 100, change < 0 ? "slower" : "faster",
                     std::max(1.0, noise * 100));
}

// What of the changes concerns an encoder: its library, its driver, or the machine.
std::string Since(const std::vector<Message>& changes) {
  if (changes.empty()) return "";
  return " since " + ShortChanges(changes);
}

Tone ToneOf(EncodeChange::Verdict verdict) {
  if (verdict == EncodeChange::Verdict::kSlower) return Tone::kBad;
  return verdict == EncodeChange::Verdict::kFaster ? Tone::kGood : Tone::kPlain;
}

std::string WordsOf(EncodeChange::Verdict verdict) {
  if (verdict == EncodeChange::Verdict::kHeldUp) return "held up by the machine";
  return verdict == EncodeChange::Verdict::kHeldLess ? "held up before" : Name(verdict);
}

// The encodes that changed by themselves, each encoder and preset once, by its largest change.
std::vector<EncodeChange> Changed(const EncodeComparison& comparison) {
  std::vector<EncodeChange> changed;
  for (const EncodeChange& encode : comparison.encodes) {
    if (encode.verdict != EncodeChange::Verdict::kFaster && encode.verdict != EncodeChange::Verdict::kSlower) continue;
    const auto same = std::find_if(changed.begin(), changed.end(), [&](const EncodeChange& other) {
      return TitleOf(other.settings) == TitleOf(encode.settings);
    });
    if (same == changed.end())
      changed.push_back(encode);
    else if (std::abs(encode.beyond.change) > std::abs(same->beyond.change))
      *same = encode;
  }
  return changed;
}

}  // namespace

std::string LocalTime(const std::string& utc) {
  std::tm parts{};
  if (!strptime(utc.c_str(), "%Y-%m-%dT%H:%M:%SZ", &parts)) return utc;
  const std::time_t time = timegm(&parts);
  localtime_r(&time, &parts);
  char text[32];
  std::strftime(text, sizeof text, "%Y-%m-%d %H:%M", &parts);
  return text;
}

std::string CalledFirst(const KeptRun& run) {
  std::string called = Called(run);
  called[0] = 'R';
  return called;
}

std::string Called(const KeptRun& run) {
  return run.name.empty() ? fmt::format("run {}", run.number) : fmt::format("run {} ({})", run.number, run.name);
}

void PrintRuns(const std::vector<KeptRun>& runs, std::size_t listed, std::int64_t file_bytes) {
  const std::size_t first = runs.size() - std::min(listed, runs.size());
  std::vector<std::string> changed(runs.size());
  for (std::size_t i = std::max<std::size_t>(1, first); i < runs.size(); ++i)
    changed[i] = ShortChanges(WhatChanged(runs[i - 1].circumstances, runs[i].circumstances));
  const bool any = std::any_of(changed.begin(), changed.end(), [](const std::string& text) { return !text.empty(); });
  std::vector<Cell> header{{"Run"}, {"When"}, {"What"}, {"Show"}, {"What came out"}};
  if (any) header.push_back({"Changed before it"});
  Table table(header);
  for (std::size_t i = first; i < runs.size(); ++i) {
    const KeptRun& run = runs[i];
    const std::string number =
        run.name.empty() ? fmt::format("{}", run.number) : fmt::format("{} {}", run.number, run.name);
    std::vector<Cell> row{{number, Tone::kStrong},
                          {LocalTime(run.utc)},
                          {run.kind},
                          {Short(run.title, 28)},
                          {Short(Sentence(run.verdict), 64) + (run.simulated ? " [simulated]" : "")}};
    if (any) row.push_back({Short(changed[i], 60), Tone::kDim});
    table.Row(row);
  }
  fmt::print("{}", table.str());
  if (first > 0) fmt::print("{} earlier ones: --last {}\n", first, runs.size());
  if (!any && runs.size() - first > 1) fmt::print("Nothing changed on this machine between them.\n");
  fmt::print("\nThe history takes {:.1f} MB of at most {}.\n", static_cast<double>(file_bytes) / 1e6,
             History::kMostBytes / 1'000'000);
}

void PrintRun(const KeptRun& run) {
  fmt::print("  what          {}{}\n", run.kind, run.title.empty() ? "" : " of " + run.title);
  fmt::print("  when          {}\n", LocalTime(run.utc));
  fmt::print("  what came out {}{}\n", Sentence(run.verdict), run.simulated ? " (simulated GPU)" : "");
  fmt::print("  folder        {}\n", run.folder);
  for (const auto& [kind, words] : run.circumstances) {
    std::vector<std::string> told;
    for (const std::string& each : words) told.push_back(WithoutBuild(each));
    if (!told.empty()) fmt::print("  {:<13} {}\n", kind, fmt::join(told, "\n                "));
  }
  fmt::print("  machine       {}\n", run.machine_digest);
}

void PrintChanges(const std::vector<Message>& changes) {
  fmt::print("\n{}\n", Paint("What changed between them", Tone::kStrong));
  if (changes.empty()) fmt::print("  - nothing that the history knows: kernel, processor, libraries, drivers, line\n");
  for (const Message& change : changes) fmt::print("  - {}\n", Sentence(change));
}

void PrintSideBySide(const std::vector<SideBySide>& facts) {
  Table table({{""}, {"Before"}, {"Now"}});
  for (const SideBySide& fact : facts)
    table.Row({{fact.what}, {fact.before}, {fact.now, fact.before == fact.now ? Tone::kPlain : Tone::kStrong}});
  fmt::print("\n{}", table.str());
}

std::string ComparisonSentence(const EncodeComparison& comparison, const std::vector<Message>& changes) {
  const std::vector<EncodeChange> changed = Changed(comparison);
  if (!changed.empty()) {
    std::vector<std::string> parts;
    for (const EncodeChange& encode : changed)
      parts.push_back(
          fmt::format("{} is {}", TitleOf(encode.settings), ChangedBy(encode.beyond.change, encode.beyond.noise)));
    const char* against = comparison.all_changed() ? " than the others' change explains"
                          : comparison.all         ? ", held against the others"
                                                   : "";
    return fmt::format("{}{}{}.", fmt::join(parts, ", "), against, Since(changes));
  }
  if (comparison.all_changed()) {
    const bool of_cost = std::any_of(comparison.encodes.begin(), comparison.encodes.end(),
                                     [](const EncodeChange& encode) { return encode.cost; });
    const Change speed = of_cost ? comparison.all->inverse() : *comparison.all;
    return fmt::format("All encodes are {}{}.", ChangedBy(speed.change, speed.noise),
                       changes.empty() ? ": the machine, for nothing else changed" : Since(changes));
  }
  double widest = 0;
  for (const EncodeChange& encode : comparison.encodes)
    widest = std::max(widest, (encode.cost ? *encode.cost : encode.speed).noise);
  return fmt::format("No difference beyond the noise: {} compared, measured to within {:.0f} %.",
                     Encodes(comparison.encodes.size()), std::max(1.0, widest * 100));
}

void PrintEncodes(const EncodeComparison& comparison) {
  const bool costs = std::any_of(comparison.encodes.begin(), comparison.encodes.end(),
                                 [](const EncodeChange& encode) { return encode.cost; });
  std::vector<Cell> header{{"Encode"},    {"Picture"},      {"Footage"},    Number("fps before"),
                           Number("now"), Number("change"), Number("noise")};
  if (costs)
    for (const char* title : {"CPU ms a frame before", "now", "change", "noise"}) header.push_back(Number(title));
  header.push_back({"Verdict"});
  Table table(header);
  for (const EncodeChange& encode : comparison.encodes) {
    std::vector<Cell> row{{TitleOf(encode.settings) + (encode.simulated ? " (simulated)" : "")},
                          {Picture(encode.settings)},
                          {encode.footage},
                          Number(fmt::format("{:.1f}", encode.speed.before)),
                          Number(fmt::format("{:.1f}", encode.speed.now)),
                          Number(Percent(encode.speed.change)),
                          Number(fmt::format("\u00b1 {:.1f}", encode.speed.noise * 100))};
    if (costs && encode.cost) {
      row.push_back(Number(fmt::format("{:.1f}", encode.cost->before)));
      row.push_back(Number(fmt::format("{:.1f}", encode.cost->now)));
      row.push_back(Number(Percent(encode.cost->change)));
      row.push_back(Number(fmt::format("\u00b1 {:.1f}", encode.cost->noise * 100)));
    } else if (costs) {
      row.insert(row.end(), 4, Number(""));
    }
    row.push_back({WordsOf(encode.verdict), ToneOf(encode.verdict)});
    table.Row(row);
  }
  fmt::print("\n{}", table.str());
  if (comparison.all)
    fmt::print("All have in common: {} in {}. Each is held against that.\n", Percent(comparison.all->change),
               costs ? "processor time a frame" : "speed");
  if (comparison.taken_up > 0)
    fmt::print("{} more were not measured again: the later run took the earlier one's figures.\n", comparison.taken_up);
  if (comparison.only_before + comparison.only_now > 0)
    fmt::print("Not compared: {} in the earlier run only, {} in the later one only.\n",
               Encodes(static_cast<std::size_t>(comparison.only_before)),
               Encodes(static_cast<std::size_t>(comparison.only_now)));
}

}  // namespace kettle::app
