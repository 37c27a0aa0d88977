// SPDX-License-Identifier: Apache-2.0
// Sections of what was run and measured: the rehearsal, the trials, the options for other programs.
#include <fmt/format.h>

#include "kettle/rehearsal/rehearsal.h"
#include "kettle/trial/trial.h"
#include "page/conditions.h"
#include "page/sections.h"
#include "report/looks.h"
#include "report/sentence.h"

namespace kettle {

using Json = nlohmann::json;

namespace {

PageTable LossTable(const RehearsalOutcome& outcome) {
  PageTable table{fmt::format("Frames in {:.0f} s", outcome.seconds),
                  {{"Output"},
                   {"Due", true},
                   {"Late", true},
                   {"Skipped", true},
                   {"Dropped", true},
                   {"Stalled", true},
                   {"Mean kbit/s", true},
                   {"Latency p99, ms", true}},
                  {},
                  "Late: the source came too late. Skipped: the encoder's queue was full. Dropped: the uplink's was. "
                  "Stalled: the disk did not keep up."};
  const auto row = [&](const std::string& name, const PacedOutputOutcome& output, const std::string& dropped,
                       const std::string& stalled) {
    table.rows.push_back({{name, fmt::format("{}", output.frames), fmt::format("{}", outcome.late_frames.size()),
                           fmt::format("{}", output.skipped), dropped, stalled, fmt::format("{:.0f}", output.mean_kbps),
                           fmt::format("{:.0f}", output.latency.p99_ms)}});
  };
  row("stream", outcome.stream, fmt::format("{}", outcome.DroppedOf(0)), "-");
  for (std::size_t i = 0; i < outcome.further.size(); ++i)
    row(fmt::format("stream {}", i + 2), outcome.further[i],
        fmt::format("{}", outcome.DroppedOf(static_cast<int>(i) + 1)), "-");
  if (!outcome.files.empty()) row("recording", outcome.recording, "-", fmt::format("{}", outcome.stalled.size()));
  return table;
}

std::string TextOf(const Json& message) { return message.is_object() ? Sentence(message.get<Message>()) : ""; }

void AddDiagnosis(const Json& diagnosis, PageSection& section) {
  PageTable table{
      "What was lost, when and why",
      {{"From, s", true}, {"To, s", true}, {"Frames", true}, {"Loss"}, {"Cause"}, {"What the counters show"}},
      {}};
  for (const Json& s : diagnosis.value("stretches", Json::array()))
    table.rows.push_back(
        {{fmt::format("{:.0f}", s.at("from_seconds").get<double>()),
          fmt::format("{:.0f}", s.at("to_seconds").get<double>()), fmt::format("{}", s.at("frames").get<int>()),
          s.at("loss"), s.at("cause"), TextOf(s.at("why"))}});
  if (!table.rows.empty()) section.tables.push_back(std::move(table));
  PageList cures{"What to do", {}};
  for (const Json& cure : diagnosis.value("cures", Json::array()))
    cures.items.push_back(fmt::format("{} ({} frames): {}", cure.at("cause").get<std::string>(),
                                      cure.at("frames").get<int>(), Alone(TextOf(cure.at("do")))));
  if (!cures.items.empty()) section.lists.push_back(std::move(cures));
}

void AddTrialRow(const Trial& trial, PageTable& table) {
  const EncodeSettings& s = trial.settings;
  const std::string rate =
      IsQuality(s.rate_control) ? fmt::format("level {}", s.quality_level.value_or(0)) : s.bit_rate.str();
  const std::string title = s.encoder + " " + s.preset + (trial.simulated ? " (simulated)" : "");
  if (!trial.done()) {
    table.rows.push_back(
        {{title, trial.footage, s.size.str(), s.frame_rate.str(), rate, "-", "-", "-", "-", trial.detail}});
    return;
  }
  table.rows.push_back(
      {{title, trial.footage, s.size.str(), s.frame_rate.str(), rate, fmt::format("{:.0f}", trial.throughput_fps),
        fmt::format("{:.0f} %", trial.headroom * 100), fmt::format("{:.2f}", trial.cpu_cores),
        trial.quality ? Points(trial.quality->score()) : "-", Sentence(trial.marks())}});
}

}  // namespace

PageSection RehearsalSection(const Results& results) {
  PageSection section{"rehearsal", "The rehearsal", ""};
  const auto file = results.Read("rehearsal");
  if (!file) return section;
  const auto outcome = file->at("outcome").get<RehearsalOutcome>();
  section.intro = outcome.holds() ? fmt::format("No frame was lost in {:.0f} s.", outcome.seconds)
                                  : fmt::format("{} frames were lost in {:.0f} s.", outcome.lost(), outcome.seconds);
  if (outcome.simulated_ingest()) section.intro += " The ingest was simulated.";
  section.tables.push_back(LossTable(outcome));
  if (file->contains("diagnosis")) AddDiagnosis(file->at("diagnosis"), section);
  for (const char* name : {"rehearsal", "game"})
    if (auto figure = results.Figure(name)) section.figures.push_back(std::move(*figure));
  return section;
}

PageSection WatchSection(const Results& results) {
  PageSection section{"watch", "The real stream, seen from outside", ""};
  const auto file = results.Read("watch");
  if (!file) return section;
  section.intro = file->value("answer", "");
  PageTable table{"What starved it", {{"From, s", true}, {"To, s", true}, {"Cause"}, {"What was seen"}}, {}};
  for (const Json& t : file->at("verdict").at("troubles"))
    table.rows.push_back({{fmt::format("{:.0f}", t.at("from_seconds").get<double>()),
                           fmt::format("{:.0f}", t.at("to_seconds").get<double>()),
                           t.at("cause").get<std::string>() +
                               (t.contains("program") ? " (" + t["program"].get<std::string>() + ")" : ""),
                           TextOf(t.at("why"))}});
  if (!table.rows.empty()) section.tables.push_back(std::move(table));
  if (auto figure = results.Figure("watch")) section.figures.push_back(std::move(*figure));
  return section;
}

PageSection MeasuredSection(const Results& results) {
  PageSection section{"measured", "What was measured", ""};
  const auto bench = results.Read("bench");
  if (!bench) return section;
  PageTable table{"Each encode alone, as fast as it goes",
                  {{"Encoder"},
                   {"Footage"},
                   {"Size"},
                   {"Rate", true},
                   {"Bit rate"},
                   {"Frames/s", true},
                   {"Headroom", true},
                   {"Cores", true},
                   {"Score", true},
                   {"To know"}},
                  {},
                  "Headroom: 1 less frame rate by throughput; below zero it does not keep pace."};
  const auto trials = bench->at("trials").get<std::vector<Trial>>();
  for (const Trial& trial : trials) AddTrialRow(trial, table);
  const std::size_t count = table.rows.size();
  if (count > 0) {
    section.tables.push_back(std::move(table));
    section.lists.push_back(ConditionsOf(*bench, trials));
  }
  section.intro = fmt::format("{} trials on machine {}, by fast-kettle {}.", count, bench->value("machine_digest", "?"),
                              bench->value("version", "?"));
  for (const char* name : {"rate-quality", "soak"})
    if (auto figure = results.Figure(name)) section.figures.push_back(std::move(*figure));
  return section;
}

PageSection OtherProgramsSection(const Results& results) {
  PageSection section{
      "other-programs", "For the program that you stream with",
      "Each encode's options as its own library calls them. card.json has the same for programs to read."};
  const auto card = results.Read("card");
  if (!card) return section;
  const auto add = [&](const std::string& title, const Json& encode) {
    std::string text;
    for (const Json& option : encode.at("options")) text += option.get<std::string>() + "\n";
    section.texts.push_back({fmt::format("{}: options of {}", title, encode.at("library").get<std::string>()), text});
  };
  int number = 0;
  for (const Json& stream : card->at("streams")) {
    ++number;
    add(number == 1 ? "Stream" : fmt::format("Stream {}", number), stream);
  }
  if (const Json& recording = card->at("recording");
      recording.is_object() && !recording.value("is_the_streams_encode", false))
    add("Recording", recording);
  return section;
}

}  // namespace kettle
