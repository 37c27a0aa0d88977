// SPDX-License-Identifier: Apache-2.0
#include "tables/bench_tables.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <set>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/json_fields.h"
#include "report/looks.h"
#include "report/sentence.h"
#include "report/wrap.h"

namespace kettle::app {

namespace {

// What of the settings differs within a bench: those columns are shown, the rest is said once above.
struct Column {
  const char* name;
  std::function<std::string(const EncodeSettings&, const Cards&)> value;
};

constexpr std::size_t kColumns = 100;  // of what is written below the tables

std::string Rates(const EncodeSettings& s) {
  if (s.rate_control == RateControl::kConstantQuality) return "-";
  if (s.rate_control == RateControl::kCappedQuality) return "at most " + s.maximum_bit_rate.str();
  return s.bit_rate.str();
}

// By name, as each interface counts its own cards; "-": on the processors.
std::string CardOf(const EncodeSettings& s, const Cards& cards) {
  if (FindFamily(s.encoder).device == DeviceKind::kCpu) return "-";
  const auto card = cards.find({s.encoder, s.device});
  return card != cards.end() && !card->second.empty() ? card->second : std::to_string(s.device);
}

const std::vector<Column>& SettingColumns() {
  static const std::vector<Column> columns = {
      {"size", [](const EncodeSettings& s, const Cards&) { return s.size.str(); }},
      {"rate", [](const EncodeSettings& s, const Cards&) { return s.frame_rate.str(); }},
      {"rate control", [](const EncodeSettings& s, const Cards&) { return std::string(Name(s.rate_control)); }},
      {"bit rate", [](const EncodeSettings& s, const Cards&) { return Rates(s); }},
      {"GPU", CardOf}};
  return columns;
}

// The columns whose values differ among these encodes, or those whose do not.
std::vector<const Column*> Varying(const std::vector<EncodeSettings>& settings, const Cards& cards, bool varying) {
  std::vector<const Column*> columns;
  for (const Column& column : SettingColumns()) {
    std::set<std::string> values;
    for (const EncodeSettings& s : settings) values.insert(column.value(s, cards));
    if ((values.size() > 1) == varying) columns.push_back(&column);
  }
  return columns;
}

std::string Common(const std::vector<EncodeSettings>& settings, const Cards& cards) {
  const EncodeSettings& s = settings.front();
  std::string text;
  for (const Column* column : Varying(settings, cards, false)) {
    const std::string name = column->name;
    const std::string value = column->value(s, cards);
    if (value == "-") continue;
    text += (text.empty() ? "" : ", ") + (name == "rate"  ? value + " frames per second"
                                          : name == "GPU" ? "GPU " + value
                                                          : value);
  }
  const std::string extras = Extras(s);
  return text + (extras.empty() ? "" : ", " + extras);
}

Cards CardsOf(const std::vector<Option>& options) {
  Cards cards;
  for (const Option& option : options)
    if (option.device == "gpu") cards[{option.settings.encoder, option.settings.device}] = CardName(option.device_name);
  return cards;
}

// Of a bench in which nothing was measured twice, nothing is known of how much repeats vary.
std::string Interval(const Option& option) {
  if (!option.interval) return "once";
  const double percent = *option.interval * 100;
  if (percent > 100) return "> ±100 %";
  return percent < 1 ? fmt::format("±{:.1f} %", percent) : fmt::format("±{:.0f} %", percent);
}

class ResultTable {
 public:
  explicit ResultTable(const BenchResult& result)
      : cards_(CardsOf(result.options)), columns_(Varying(result.settings, cards_, true)), table_(Header()) {}

  void Row(const Option& option, const std::string& verdict, Tone tone) {
    std::vector<Cell> cells = {{option.settings.encoder + (option.simulated ? " (simulated)" : "")},
                               {option.settings.preset}};
    for (const Column* column : columns_) cells.push_back({column->value(option.settings, cards_)});
    const bool works = option.throughput_fps > 0;
    const auto figure = [&](const std::string& text) { return Number(works ? text : "-"); };
    cells.push_back(figure(fmt::format("{:.0f}", option.throughput_fps)));
    cells.push_back(figure(Interval(option)));
    cells.push_back(figure(fmt::format("{:.0f} %", option.headroom * 100)));
    cells.push_back(figure(fmt::format("{:.2f}", option.cpu_cores)));
    const bool seen = option.scored();
    cells.push_back(Number(seen ? Points(option.score) : "-"));
    cells.push_back(Number(seen ? Points(option.quality.worst_second_score()) : "-"));
    cells.push_back({verdict, tone});
    table_.Row(std::move(cells));
    ++rows_;
  }

  void Print(const std::string& title) const {
    if (rows_ > 0) fmt::print("{}\n{}\n", Paint(title, Tone::kStrong), table_.str());
  }

 private:
  std::vector<Cell> Header() const {
    std::vector<Cell> header = {{"encoder"}, {"preset"}};
    for (const Column* column : columns_) header.push_back({column->name});
    for (const char* name : {"frames/s", "95 %", "headroom", "cores", "score", "worst second"})
      header.push_back(Number(name));
    header.push_back({"verdict"});
    return header;
  }

  Cards cards_;
  std::vector<const Column*> columns_;
  Table table_;
  int rows_ = 0;
};

// What is odd about an option's figures, but for the noise, which has a column.
std::vector<std::string> Noted(const Option& option) {
  std::vector<std::string> marks;
  for (const Message& mark : option.marks)
    if (mark.key != "trial.noisy") marks.push_back(Sentence(mark));
  return marks;
}

std::string Verdict(const Option& option, double headroom, bool holds) {
  std::string verdict = holds                 ? "keeps pace"
                        : option.headroom < 0 ? "overload"
                                              : fmt::format("headroom below {:.0f} %", headroom * 100);
  return Noted(option).empty() ? verdict : verdict + " (*)";
}

// Which settings an odd figure belongs to, and what is odd, below the tables.
void PrintNotes(const BenchResult& result) {
  const Cards cards = CardsOf(result.options);
  const bool one_card =
      std::all_of(cards.begin(), cards.end(), [&](const auto& card) { return card.second == cards.begin()->second; });
  auto columns = Varying(result.settings, cards, true);
  std::erase_if(columns, [&](const Column* column) { return one_card && std::string(column->name) == "GPU"; });
  std::map<std::string, std::vector<std::string>> whose;
  for (const Option& option : result.options)
    for (const std::string& mark : Noted(option)) {
      std::string title = option.settings.encoder + " " + option.settings.preset;
      for (const Column* column : columns) {
        const std::string value = column->value(option.settings, cards);
        if (value != "-") title += (std::string(column->name) == "GPU" ? ", GPU " : " ") + value;
      }
      whose[mark].push_back(title);
    }
  for (const auto& [mark, titles] : whose)
    fmt::print("{}\n", Wrap(fmt::format("(*) {}: {}", fmt::join(titles, "; "), mark), 0, 4, kColumns));
  if (!whose.empty()) fmt::print("\n");
}

// Best looking first, then the cheapest; of those that do not keep pace, the nearest to it first.
void PrintOptions(const BenchResult& result) {
  const double headroom = result.required_headroom;
  std::vector<Option> options = result.options;
  std::stable_sort(options.begin(), options.end(), [](const Option& a, const Option& b) {
    return std::lround(a.score * 100) != std::lround(b.score * 100) ? a.score > b.score : a.cpu_cores < b.cpu_cores;
  });
  ResultTable holding(result), failing(result), broken(result);
  for (const Option& option : options)
    if (option.trouble.empty() && option.keeps_pace(headroom))
      holding.Row(option, Verdict(option, headroom, true), Tone::kGood);
  std::stable_sort(options.begin(), options.end(),
                   [](const Option& a, const Option& b) { return a.headroom > b.headroom; });
  for (const Option& option : options) {
    if (!option.trouble.empty())
      broken.Row(option, option.trouble, Tone::kBad);
    else if (!option.keeps_pace(headroom))
      failing.Row(option, Verdict(option, headroom, false), Tone::kBad);
  }
  holding.Print(fmt::format("These keep pace with {:.0f} % headroom, best picture first", headroom * 100));
  failing.Print("These do not keep pace here");
  broken.Print("These did not work");
  PrintNotes(result);
}

void PrintPaced(const std::vector<PacedTrial>& trials) {
  if (trials.empty()) return;
  fmt::print("{}\n", Paint("In real time, each alone", Tone::kStrong));
  Table table({{"encoder"},
               {"preset"},
               {"size"},
               {"footage"},
               Number("frames"),
               Number("late"),
               Number("skipped"),
               Number("deepest queue"),
               Number("latency p99, ms"),
               {"keeps pace"}});
  for (const PacedTrial& t : trials) {
    const bool done = t.status == WorkerStatus::kDone, good = done && t.skipped == 0;
    table.Row({{t.settings.encoder + (t.simulated ? " (simulated)" : "")},
               {t.settings.preset},
               {t.settings.size.str()},
               {t.footage},
               Number(fmt::format("{}", t.frames)),
               Number(fmt::format("{}", t.late)),
               Number(fmt::format("{}", t.skipped)),
               Number(fmt::format("{}", t.deepest_queue)),
               Number(fmt::format("{:.1f}", t.latency.p99_ms)),
               {done ? (good ? "yes" : "no") : t.detail, good ? Tone::kGood : Tone::kBad}});
  }
  fmt::print("{}\n", table.str());
}

}  // namespace

std::string Duration(double seconds) {
  const long whole = std::lround(seconds);
  if (whole < 60) return fmt::format("{} s", whole);
  if (whole < 3600) return fmt::format("{} min {} s", whole / 60, whole % 60);
  return fmt::format("{} h {} min", whole / 3600, whole % 3600 / 60);
}

namespace {

Headline HeadlineOf(const BenchResult& result, const ResultPlace& place) {
  const double headroom = result.required_headroom;
  const Option* best = nullptr;
  for (const Option& option : result.options)
    if (option.trouble.empty() && option.keeps_pace(headroom) && (!best || option.score > best->score)) best = &option;
  const std::string next = result.show.empty() ? ""
                                               : fmt::format("fast-kettle plan --show {} --out {}{}", result.show,
                                                             place.folder.string(), place.StandInOption());
  if (result.options.empty()) return {"No setting was measured: the time ran out before the first.", Tone::kBad, next};
  if (!best)
    return {fmt::format("None of the {} settings measured keeps pace with {:.0f} % headroom.", result.options.size(),
                        headroom * 100),
            Tone::kBad, next};
  return {
      fmt::format("Best picture of those that keep pace: {}, {} at {}: {}, {:.0f} % headroom.", best->title(),
                  best->settings.size.str(), best->settings.frame_rate.str(), Looks(best->score), best->headroom * 100),
      Tone::kGood, next};
}

}  // namespace

void to_json(nlohmann::json& json, const BenchResult& result) {
  KETTLE_WRITE_FIELDS(json, result, title, show, required_headroom, settings, options, paced, warnings, trials, missing,
                      repeats, taken_up, seconds);
  if (!result.footage.empty())
    json["source"] = {{"footage", result.footage},
                      {"size", result.source_size.str()},
                      {"frame_rate", result.source_rate.str()},
                      {"footage_seconds", result.footage_seconds}};
}

void from_json(const nlohmann::json& json, BenchResult& result) {
  KETTLE_READ_FIELDS(json, result, title, show, required_headroom, settings, options, paced, warnings, trials, missing,
                     repeats, taken_up, seconds);
  if (!json.contains("source")) return;  // an earlier version did not tell
  const nlohmann::json& source = json.at("source");
  result.footage = source.at("footage").get<std::vector<std::string>>();
  result.source_size = FrameSize::Parse(source.at("size").get<std::string>());
  result.source_rate = FrameRate::Parse(source.at("frame_rate").get<std::string>());
  result.footage_seconds = source.at("footage_seconds");
}

void PrintBench(const BenchResult& result, const ResultPlace& place) {
  const Headline headline = HeadlineOf(result, place);
  PrintHeadline(headline);
  fmt::print("{}\n{}; each encode alone; results are those of its worst clip\n\n", Paint(result.title, Tone::kStrong),
             Common(result.settings, CardsOf(result.options)));
  PrintOptions(result);
  fmt::print("  {}\n\n", kScoreLegend);
  PrintPaced(result.paced);
  if (result.missing > 0)
    fmt::print("{} of {} trials were not measured: time ran out. --resume measures them.\n\n", result.missing,
               result.trials);
  for (const Message& warning : result.warnings) fmt::print("Note: {}\n\n", Sentence(warning));
  const bool simulated =
      std::any_of(result.options.begin(), result.options.end(), [](const Option& o) { return o.simulated; });
  if (simulated) fmt::print("{}\n", SimulatedNotice());
  fmt::print("{} trials in {} runs ({} reused from an earlier run), {}. Results and figure in {}/\n",
             result.trials - result.missing, result.repeats, result.taken_up, Duration(result.seconds),
             place.folder.string());
  PrintClosing(headline);
}

void PrintDryRun(const BenchPlan& plan, const std::vector<TrialJob>& jobs, const Expectation& expectation) {
  fmt::print("{}\n{}\n\n", Paint(plan.show.title, Tone::kStrong), Common(plan.settings, plan.cards));
  std::vector<Cell> header = {{"encoder"}, {"preset"}};
  const auto columns = Varying(plan.settings, plan.cards, true);
  for (const Column* column : columns) header.push_back({column->name});
  header.push_back({"footage"});
  header.push_back({"measured before"});
  Table table(std::move(header));
  for (const TrialJob& job : jobs) {
    std::vector<Cell> cells = {{job.settings.encoder}, {job.settings.preset}};
    for (const Column* column : columns) cells.push_back({column->value(job.settings, plan.cards)});
    cells.push_back({job.footage.label});
    cells.push_back({job.trial ? fmt::format("{} times", job.trial->repeats.size()) : "no"});
    table.Row(std::move(cells));
  }
  fmt::print("{}\n{} trials, {} runs at the fewest: about {}.\n", table.str(), jobs.size(), expectation.repeats,
             Duration(expectation.seconds));
  if (expectation.unknown > 0)
    fmt::print("{} of them were never measured in this folder; their time is a guess (as long as the clip plays).\n",
               expectation.unknown);
  fmt::print("Nothing was measured.\n");
}

}  // namespace kettle::app
