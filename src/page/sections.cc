// SPDX-License-Identifier: Apache-2.0
#include "page/sections.h"

#include <fmt/format.h>

#include <fstream>
#include <iterator>
#include <set>

#include "figure/trade_figure.h"
#include "kettle/store/output_folder.h"
#include "kettle/trial/trial.h"
#include "report/card.h"
#include "report/looks.h"
#include "report/sentence.h"

namespace kettle {

using Json = nlohmann::json;

std::optional<Json> Results::Read(const std::string& kind) const {
  for (const auto& folder : folders_)
    if (auto file = ReadResult(folder, kind)) return file;
  return std::nullopt;
}

std::optional<std::string> Results::File(const std::string& name) const {
  for (const auto& folder : folders_)
    if (std::ifstream file(folder / name, std::ios::binary); file)
      return std::string(std::istreambuf_iterator<char>(file), {});
  return std::nullopt;
}

std::optional<Json> Results::Chart(const std::string& name) const {
  for (const auto& folder : folders_)
    if (const auto figures = ReadResult(folder, "figures"))
      if (const auto& charts = figures->at("figures"); charts.contains(name))
        return std::make_optional<Json>(charts.at(name));
  return std::nullopt;
}

std::optional<PageFigure> Results::Figure(const std::string& name) const {
  const auto chart = Chart(name);
  auto svg = File(name + ".svg");
  if (!chart || !svg) return std::nullopt;
  return PageFigure{name, std::move(*svg), chart->value("title", name), chart->value("subtitle", "")};
}

namespace {

using Columns = std::vector<PageTable::Column>;

void AddFigure(const Results& results, const std::string& name, PageSection& section) {
  if (auto figure = results.Figure(name)) section.figures.push_back(std::move(*figure));
}

std::string Encode(const EncodeSettings& s) {
  return fmt::format("{} {}, {} at {}", s.encoder, s.preset, s.size.str(), s.frame_rate.str());
}

std::string InCapitalsNoMore(std::string title) {
  for (std::size_t i = 1; i < title.size(); ++i)
    title[i] = static_cast<char>(std::tolower(static_cast<unsigned char>(title[i])));
  return title;
}

// "stream.b_frames" as people say it.
std::string ChoiceWords(std::string choice) {
  for (char& c : choice)
    if (c == '.' || c == '_') c = ' ';
  for (const auto& [code, words] : std::vector<std::pair<std::string, std::string>>{
           {"b frames", "B-frames"}, {"keyframe seconds", "keyframe interval, s"}})
    if (const auto at = choice.find(code); at != std::string::npos) choice.replace(at, code.size(), words);
  return choice;
}

std::string Lines(std::string text) {
  for (char& c : text)
    if (c == '\n') c = ' ';
  return text;
}

}  // namespace

PageSection SettingsSection(const Results& results, const Plan& plan) {
  PageSection section{"settings", "The settings", ""};
  for (const CardTable& table : CardTables(plan)) {
    // "STREAM TO Quayside" names somebody.
    const bool named = table.first.starts_with("STREAM TO ");
    PageTable page{"",
                   {{"Setting"}, {named ? "Stream to " + table.first.substr(10) : InCapitalsNoMore(table.first)}},
                   {},
                   Lines(table.note)};
    if (!table.second.empty()) page.columns.push_back({InCapitalsNoMore(table.second)});
    for (const auto& [name, first, second] : table.rows) {
      page.rows.push_back({{name, first}});
      if (!table.second.empty()) page.rows.back().cells.push_back(second);
    }
    section.tables.push_back(std::move(page));
  }
  PageList notes{"Notes", {}};
  for (const Message& warning : plan.targets.warnings) notes.items.push_back(Sentence(warning));
  if (!plan.chosen && !plan.nearest.empty())
    notes.items.push_back(fmt::format("Nearest settings that would keep pace: {}.", Sentence(plan.nearest)));
  if (!notes.items.empty()) section.lists.push_back(notes);
  if (auto card = results.File("card.txt"))
    section.texts.push_back({"The settings card as text, with the reasons", *card});
  return section;
}

PageSection LooksSection(const Results& results, const Plan& plan) {
  PageSection section{"looks", "What it looks like", ""};
  const auto layout = results.Chart(StripLayout::kName);
  auto png = results.File("worst-second.png");
  if (layout && png) {
    section.strip = PageStrip{layout->get<StripLayout>(), std::move(*png)};
    section.intro = section.strip->layout.title + ", " + section.strip->layout.subtitle + ".";
  }
  if (plan.chosen) {
    PageTable clips{"The chosen stream on each clip: busiest and calmest stretch",
                    {{"Footage"}, {"Frames/s", true}, {"Headroom", true}, {"Score", true}, {"Worst second", true}},
                    {}};
    for (const auto* stretches : {&plan.chosen->stream.clips, &plan.chosen->stream.calm})
      for (const ClipResult& clip : *stretches)
        clips.rows.push_back(
            {{clip.footage, fmt::format("{:.0f}", clip.throughput_fps), fmt::format("{:.0f} %", clip.headroom * 100),
              Points(clip.score), Points(clip.worst_second_score)}});
    section.tables.push_back(std::move(clips));
  }
  AddFigure(results, "pictures", section);
  AddFigure(results, "speed-quality", section);
  return section;
}

PageSection TradeSection(const Results& results, const Plan& plan) {
  PageSection section{"recording", "Ways to record beside the stream", ""};
  if (!plan.trade.empty()) {
    PageTable table{"",
                    {{"Recording"},
                     {"Encoder"},
                     {"GB/hour", true},
                     {"Score", true},
                     {"Stream"},
                     {"Its score", true},
                     {"Cores", true},
                     {"Why"}},
                    {}};
    const auto points = [](const std::optional<double>& score) { return score ? Points(*score) : "-"; };
    for (const TradePoint& point : plan.trade)
      table.rows.push_back(
          {{WayOf(point), point.recording.empty() ? "-" : point.recording,
            point.recording_score ? fmt::format("{:.1f}", point.gigabytes_an_hour) : "-", points(point.recording_score),
            point.stream_size
                ? fmt::format("{}, {} at {}", point.stream, point.stream_size->str(), point.stream_rate->str())
                : "-",
            points(point.stream_score), point.stream.empty() ? "-" : fmt::format("{:.2f}", point.cpu_cores),
            (point.taken ? "taken: " : "") + Sentence(point.why)},
           point.taken});
    section.tables.push_back(std::move(table));
  }
  AddFigure(results, "trade", section);
  return section;
}

PageSection ProofSection(const Results& results, const Plan& plan) {
  PageSection section{"proof", "The proof run", ""};
  PageTable table{
      "Each attempt: all encodes at once, in real time",
      {{"Attempt"}, {"Stream"}, {"Recording"}, {"Skipped", true}, {"Late", true}, {"Busiest second, cores", true}},
      {}};
  const auto& attempts = plan.proving.attempts;
  for (std::size_t i = 0; i < attempts.size(); ++i) {
    const Pair& pair = attempts[i].pair;
    const Proof& proof = attempts[i].proof;
    const bool recorded = plan.container != "none";
    const int skipped = proof.Total(pair.one_encode).skipped;
    table.rows.push_back(
        {{fmt::format("{}", i + 1), Encode(pair.stream.settings),
          !recorded         ? "none"
          : pair.one_encode ? "the stream's own encode"
                            : Encode(pair.recording.settings),
          fmt::format("{}", skipped), fmt::format("{}", proof.late), fmt::format("{:.2f}", proof.busiest_cpu_cores)},
         i + 1 == attempts.size()});
  }
  if (!table.rows.empty()) section.tables.push_back(std::move(table));
  AddFigure(results, "proof-times", section);
  AddFigure(results, "capacity", section);
  return section;
}

PageSection ReasonsSection(const Plan& plan) {
  PageSection section{"reasons", "Why these settings", ""};
  PageTable table{"", {{"Setting"}, {"Value"}, {"Why"}, {"How it is known"}}, {}};
  for (const Because& reason : plan.targets.reasons) {
    table.rows.push_back({{ChoiceWords(reason.choice), reason.value, Alone(Sentence(reason.why)),
                           reason.measured ? "measured" : "asked for, or a rule"}});
  }
  if (!table.rows.empty()) section.tables.push_back(std::move(table));
  return section;
}

PageSection LineSection(const Results& results) {
  PageSection section{"line", "The line", ""};
  if (const auto uplink = results.Read("uplink")) {
    PageTable table{"", {{"Of the upload"}, {"kbit/s", true}}, {}};
    for (const auto& [key, name] :
         std::vector<std::pair<const char*, const char*>>{{"carried_kbps", "the line carries"},
                                                          {"budget_kbps", "the stream may send, sound and all"},
                                                          {"audio_kbps", "sound"},
                                                          {"wrapping_kbps", "wrapping (FLV and RTMP)"},
                                                          {"video_kbps", "left for pictures"}})
      if (uplink->contains(key) && uplink->at(key).is_number())
        table.rows.push_back({{name, fmt::format("{:.0f}", uplink->at(key).get<double>())}});
    section.tables.push_back(std::move(table));
  }
  AddFigure(results, "line", section);
  AddFigure(results, "queue-delay", section);
  return section;
}

}  // namespace kettle
