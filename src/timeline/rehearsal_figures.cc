// SPDX-License-Identifier: Apache-2.0
#include "timeline/rehearsal_figures.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <sstream>
#include <stdexcept>

#include "figure/plot.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

std::string TitleOf(const RehearsalOutcome& outcome) {
  const int frames = outcome.stream.frames;
  if (outcome.lost() == 0 && outcome.connection_losses() == 0)
    return fmt::format("It holds: none of {} frames was lost in {:.0f} s", frames, outcome.seconds);
  std::string parts;
  const auto add = [&](std::size_t count, const char* what) {
    if (count > 0) parts += fmt::format("{}{} {}", parts.empty() ? "" : ", ", count, what);
  };
  add(outcome.late_frames.size(), "late");
  add(static_cast<std::size_t>(outcome.stream.skipped), "skipped by the stream");
  add(static_cast<std::size_t>(outcome.recording.skipped), "skipped by the recording");
  add(static_cast<std::size_t>(outcome.dropped()), "dropped");
  add(outcome.stalled.size(), "stalled");
  if (parts.empty()) parts = "the ingest was lost";
  return fmt::format("It does not hold: of {} frames {}", frames, parts);
}

// Processors of each second as a stack: each layer's upper edge. Last, the share of the encode engine in percent.
void StackCores(const std::vector<RehearsalSecond>& timeline, std::ostringstream& data) {
  data << "$cores << EOD\n";
  for (const RehearsalSecond& s : timeline) {
    double sum = 0;
    data << s.start_seconds + 0.5;
    for (const double cores : {s.stream_cores, s.recording_cores, s.other_own_cores + s.device_cores, s.game_cores,
                               s.other_cores + s.stolen_cores})
      data << ' ' << (sum += cores);
    data << ' ' << s.encoder_share * 100 << '\n';
  }
  data << "EOD\n";
}

// Top: who used the processors, and the GPU's encode engine where there is one.
std::string ProcessorPanel(const std::vector<RehearsalSecond>& timeline, double cpu_cores, double end) {
  const auto any = [&](auto wanted) { return std::any_of(timeline.begin(), timeline.end(), wanted); };
  std::ostringstream script;
  script << "set tmargin at screen 0.86\nset bmargin at screen 0.61\nset format x \"\"\n"
         << fmt::format(
                "set ylabel \"processors\"\nset yrange [0:{:.2f}]\nset key at screen 0.97,0.585 right horizontal Left "
                "reverse samplen 1.2\n",
                cpu_cores * 1.15)
         << fmt::format(
                "set arrow 1 from 0,{0} to {1},{0} nohead dashtype 2 linewidth 1.5 linecolor rgb \"{2}\" front\n"
                "set label 1 \"all that may be used\" at {1},{0} right offset -0.5,0.6 textcolor rgb \"{2}\" front\n",
                cpu_cores, end, kInk);
  const bool device = any([](const auto& s) { return s.device_cores > 0.01; });
  const char* rest = device ? "rest, simulated GPU" : "the rest of it";
  const std::array names = {"stream", "recording", rest, "game", "other programs"};
  const std::array colours = {kBlue, kAmber, kGrey, kGreen, kPurple};
  std::string plot;
  for (std::size_t i = names.size(); i-- > 0;)
    plot += fmt::format("{}$cores using 1:{} with boxes fillstyle solid noborder fillcolor rgb \"{}\" title \"{}\"",
                        plot.empty() ? "plot " : ", ", i + 2, colours[i], names[i]);
  if (any([](const auto& s) { return s.encoder_share > 0.005; })) {
    script << "set rmargin at screen 0.92\nset ytics nomirror\nset y2range [0:115]\nset y2tics 50\n"
              "set y2label \"encode engine, %\"\n";
    plot += fmt::format(
        ", $cores using 1:7 axes x1y2 with linespoints linewidth 2 pointtype 5 pointsize 0.5 linecolor rgb \"{}\" "
        "title \"GPU's encode engine\"",
        kInk);
  }
  script << "set boxwidth 0.9\n" << plot << "\nunset y2tics\nunset y2label\n";
  return script.str();
}

// Middle: what the ingest acknowledged in each second.
std::string RatePanel(const std::vector<RehearsalSecond>& timeline, double stream_kbps, double end) {
  std::ostringstream script;
  double most_mbps = stream_kbps / 1000;
  script << "$line << EOD\n";
  for (const RehearsalSecond& s : timeline) {
    script << s.start_seconds + 0.5 << ' ' << s.acknowledged_kbps / 1000 << '\n';
    most_mbps = std::max(most_mbps, s.acknowledged_kbps / 1000);
  }
  script
      << "EOD\nunset label\nunset arrow\nunset title\nset tmargin at screen 0.5\nset bmargin at screen 0.34\n"
      << fmt::format("set ylabel \"Mbit/s sent\"\nset yrange [0:{:.2f}]\nset ytics {}\n", most_mbps * 1.25,
                     std::max(0.5, std::ceil(most_mbps / 3)))
      << fmt::format(
             "set arrow 2 from 0,{0:.3f} to {1},{0:.3f} nohead dashtype 2 linewidth 1.5 linecolor rgb \"{2}\" front\n"
             "set label 2 \"dashed: the stream's rate\" at graph 0.995,0.9 right textcolor rgb \"{2}\" front\n",
             stream_kbps / 1000, end, kInk)
      << fmt::format("plot $line using 1:2 with boxes fillstyle solid noborder fillcolor rgb \"{}\" notitle\n", kBlue);
  return script.str();
}

// Bottom: the seconds in which frames were lost, a lane for each way.
std::string LossPanel(const std::vector<RehearsalSecond>& timeline) {
  const std::array lanes = {"late", "skipped, stream", "skipped, recording", "dropped", "stalled"};
  std::ostringstream script;
  script << "$losses << EOD\n";
  for (const RehearsalSecond& s : timeline) {
    const std::array counts = {s.late, s.skipped_stream, s.skipped_recording, s.dropped, s.stalled};
    for (std::size_t lane = 0; lane < counts.size(); ++lane)
      if (counts[lane] > 0)
        script << s.start_seconds + 0.5 << ' ' << lanes.size() - lane << ' ' << counts[lane] << '\n';
  }
  script << "-10 -10 0\nEOD\nunset label\nunset arrow\nset tmargin at screen 0.28\nset bmargin at screen 0.09\n"
            "set format x \"%g\"\nset xlabel \"seconds\"\nset ylabel \"\"\nset yrange [0.4:5.6]\nset ytics (";
  for (std::size_t i = 0; i < lanes.size(); ++i)
    script << (i ? ", " : "") << '"' << lanes[i] << "\" " << lanes.size() - i;
  script << ")\nset grid ytics\n"
         << fmt::format(
                "plot $losses using 1:2:(0.45):(0.36) with boxxyerror fillstyle solid noborder fillcolor rgb \"{}\" "
                "notitle\n",
                kOrange);
  return script.str();
}

}  // namespace

std::optional<RehearsalChart> MakeRehearsalChart(const RehearsalOutcome& outcome, const DiagnosisFacts& facts,
                                                 bool simulated) {
  if (outcome.timeline.size() < 2) return std::nullopt;
  return RehearsalChart{
      TitleOf(outcome),
      fmt::format("{:.0f} s in real time{}", outcome.seconds, simulated ? "; ingest, GPU or game SIMULATED" : ""),
      facts.cpu_cores, facts.stream_kbps, outcome.timeline};
}

void Draw(const std::filesystem::path& folder, const RehearsalChart& chart) {
  if (chart.seconds.empty()) throw std::out_of_range("an empty chart");
  const double end = chart.seconds.back().start_seconds + 1;
  std::ostringstream script;
  StackCores(chart.seconds, script);
  script << "set multiplot\nset lmargin at screen 0.16\nset rmargin at screen 0.97\n"
         << fmt::format("set xrange [0:{}]\n", end) << FigureTitle(chart.title, chart.subtitle)
         << ProcessorPanel(chart.seconds, chart.cpu_cores, end) << RatePanel(chart.seconds, chart.stream_kbps, end)
         << LossPanel(chart.seconds) << "unset multiplot\n";
  DrawFigure(folder, chart.kName, script.str());
}

void Draw(const std::filesystem::path& folder, const GameFrames& game) {
  if (game.seconds.size() < 2) return;
  // What another program took is in the figures too: they say what was counted, not who took it.
  const std::string title = fmt::format("The game made {:.1f} frames a second beside the encodes, {:.1f} without them",
                                        game.beside_fps, game.alone_fps);
  std::ostringstream script;
  script << FigureTitle(title, game.simulated ? "a SIMULATED game's own count, second by second"
                                              : "the game's own log of its frames, second by second")
         << "$frames << EOD\n";
  for (std::size_t i = 0; i < game.seconds.size(); ++i)
    script << static_cast<double>(i) + 0.5 << ' ' << game.seconds[i] << '\n';
  script << "EOD\n"
         << fmt::format("set xrange [0:{}]\nset yrange [0:{:g}]\n", game.seconds.size(),
                        std::max(game.wanted_fps, game.alone_fps) * 1.25)
         << "set xlabel \"seconds\"\nset ylabel \"frames a second\"\nunset key\nset boxwidth 0.9\n"
         << VerticalLine(1, game.begin_seconds, kInk, "the encodes begin", 0.96);
  if (game.end_seconds < static_cast<double>(game.seconds.size()))
    script << VerticalLine(2, game.end_seconds, kInk, "they end", 0.96);
  if (game.wanted_fps > 0)
    script << fmt::format(
        "set arrow 3 from graph 0, first {0} to graph 1, first {0} nohead dashtype 2 linewidth 2 linecolor rgb "
        "\"{1}\" front\nset label 3 \"wanted: {0:g}\" at graph 0.005, first {0} offset 0,0.7 left textcolor rgb "
        "\"{1}\" front\n",
        game.wanted_fps, kOrange);
  script << fmt::format("plot $frames using 1:2 with boxes fillstyle solid noborder fillcolor rgb \"{}\" notitle\n",
                        kGreen);
  DrawFigure(folder, game.kName, script.str());
}

KETTLE_JSON(RehearsalChart, title, subtitle, cpu_cores, stream_kbps, seconds)

}  // namespace kettle
