// SPDX-License-Identifier: Apache-2.0
#include "figure/figures.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <sstream>
#include <stdexcept>

#include "figure/plot.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/realtime/pace_task.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

// What of the settings is not the same in all options, or what is.
std::string Named(const EncodeSettings& s, const std::vector<Option>& all, bool differing) {
  const auto wanted = [&](const auto& value) {
    return differing ==
           std::any_of(all.begin(), all.end(), [&](const Option& other) { return value(other.settings) != value(s); });
  };
  std::vector<std::string> words;
  const bool gpu = FindFamily(s.encoder).device == DeviceKind::kGpu;
  if (gpu && differing && wanted([](const EncodeSettings& o) { return o.device; }))
    words.push_back(fmt::format("GPU {}", s.device));
  if (wanted([](const EncodeSettings& o) { return o.size; })) words.push_back(s.size.str());
  if (wanted([](const EncodeSettings& o) { return o.frame_rate.fps(); }))
    words.push_back(s.frame_rate.str() + " frames a second");
  if (wanted([](const EncodeSettings& o) { return o.rate_control; })) words.emplace_back(Name(s.rate_control));
  if (s.bit_rate.bits_per_second > 0 && wanted([](const EncodeSettings& o) { return o.bit_rate; }))
    words.push_back(s.bit_rate.str());
  return fmt::format("{}", fmt::join(words, ", "));
}

std::string SeriesTitle(const Option& option, const std::vector<Option>& all) {
  const std::string differing = Named(option.settings, all, true);
  return option.settings.encoder + (differing.empty() ? "" : " " + differing) +
         (option.simulated ? " (simulated GPU)" : "");
}

bool IsShown(const Option& option) { return option.throughput_fps > 0 && option.scored(); }

// Options that are shown, by series, fastest first.
std::map<std::string, std::vector<Option>> BySeries(const std::vector<Option>& options) {
  std::map<std::string, std::vector<Option>> series;
  for (const Option& option : options)
    if (IsShown(option)) series[SeriesTitle(option, options)].push_back(option);
  for (auto& [encoder, members] : series)
    std::sort(members.begin(), members.end(),
              [](const Option& a, const Option& b) { return a.throughput_fps > b.throughput_fps; });
  return series;
}

std::string SpeedQualityTitle(const std::vector<Option>& options, const std::optional<Option>& chosen,
                              double headroom) {
  const auto holding =
      std::count_if(options.begin(), options.end(), [&](const Option& o) { return o.keeps_pace(headroom); });
  if (chosen)
    return fmt::format("{} is chosen: of the {} presets measured, {} keep pace alone", chosen->title(), options.size(),
                       holding);
  if (holding == 0) return "No preset keeps pace at this size and frame rate";
  return fmt::format("{} of {} settings keep pace", holding, options.size());
}

// Those that were too slow to be worth a score, or failed, have no place in the figure.
std::string NotShown(const std::vector<Option>& options) {
  const auto hidden = std::count_if(options.begin(), options.end(), [](const Option& o) { return !IsShown(o); });
  if (hidden == 0) return "";
  return fmt::format("; {} without a score {} not shown", hidden, hidden == 1 ? "is" : "are");
}

// The presets' names beside their points. Where points stand close together, every other name goes below its point.
std::string SeriesLabels(const SpeedQualityChart::Series& series, const Look& look, int& label) {
  constexpr double kCloseOctaves = 0.5;
  std::string text;
  bool below = false;
  for (std::size_t i = 0; i < series.points.size(); ++i) {
    const SpeedQualityChart::Point& point = series.points[i];
    const bool close = i > 0 && std::log2(series.points[i - 1].fps / point.fps) < kCloseOctaves;
    below = close && !below;
    text += fmt::format("set label {} {} at {}, {} offset 0.9,{} left textcolor rgb \"{}\"{}\n", label++,
                        Quoted(point.name + (point.chosen ? "  (chosen)" : "")), point.fps, point.score,
                        below ? -0.7 : 0.5, look.colour, point.chosen ? " font ',15'" : "");
  }
  return text;
}

}  // namespace

std::optional<SpeedQualityChart> MakeSpeedQualityChart(const std::vector<Option>& options,
                                                       const std::optional<Option>& chosen, double required_headroom) {
  const auto by_series = BySeries(options);
  if (by_series.empty()) return std::nullopt;
  const EncodeSettings& settings = by_series.begin()->second.front().settings;
  SpeedQualityChart chart{
      SpeedQualityTitle(options, chosen, required_headroom),
      Named(settings, options, false) + "; each on the clip where it is slowest and looks worst" + NotShown(options),
      settings.frame_rate.fps(),
      required_headroom,
      {},
      {}};
  for (const auto& [title, members] : by_series) {
    chart.series.push_back({title, {}});
    for (const Option& option : members)
      chart.series.back().points.push_back(
          {option.settings.preset, option.throughput_fps, option.score, chosen && chosen->settings == option.settings});
  }
  if (chosen && std::none_of(options.begin(), options.end(),
                             [&](const Option& option) { return option.settings == chosen->settings; }))
    chart.refined.push_back({fmt::format("{} with {}", chosen->settings.preset, Extras(chosen->settings)),
                             chosen->throughput_fps, chosen->score, true});
  return chart;
}

void Draw(const std::filesystem::path& folder, const SpeedQualityChart& chart) {
  const double needed = chart.frame_rate / (1 - chart.headroom);
  double highest = needed * 1.3, lowest = chart.frame_rate * 0.9;
  std::ostringstream data, plot, chosen, script;
  int label = 1;
  std::string labels;
  std::size_t index = 0;
  const auto mark = [&](const SpeedQualityChart::Point& point) {
    if (point.chosen) chosen << point.fps << ' ' << point.score << '\n';
  };
  for (const SpeedQualityChart::Series& series : chart.series) {
    const Look look = LookOf(index);
    const std::string block = fmt::format("$series_{}", ++index);
    data << block << " << EOD\n";
    for (const SpeedQualityChart::Point& point : series.points) {
      data << point.fps << ' ' << point.score << '\n';
      mark(point);
    }
    data << "EOD\n";
    if (series.points.empty()) throw std::out_of_range("an empty chart");
    highest = std::max(highest, series.points.front().fps);
    lowest = std::min(lowest, series.points.back().fps * 0.9);
    labels += SeriesLabels(series, look, label);
    plot << (plot.str().empty() ? "plot " : ", ") << block << " using 1:2 with linespoints linecolor rgb \""
         << look.colour << "\" linewidth 1.5 pointtype " << look.point << " pointsize 1.3 title "
         << Quoted(series.title);
  }
  for (const SpeedQualityChart::Point& point : chart.refined) {
    labels += fmt::format("set label {} {} at {}, {} offset 1.6,0 left textcolor rgb \"{}\" font ',15'\n", label++,
                          Quoted(point.name + "  (chosen)"), point.fps, point.score, kInk);
    mark(point);
  }
  if (!chosen.str().empty()) {
    data << "$chosen << EOD\n" << chosen.str() << "EOD\n";
    plot << ", $chosen using 1:2 with points linecolor rgb \"" << kInk
         << "\" linewidth 2 pointtype 6 pointsize 3.2 notitle";
  }
  const std::size_t rows = (chart.series.size() + 1) / 2;
  // The two lines are labelled at the bottom: what is slow looks good, so few points come there.
  script << "set bmargin " << 4.5 + static_cast<double>(rows)
         << "\nset key at screen 0.5, screen 0.012 center bottom Left reverse samplen 2 maxrows " << rows << '\n'
         << FigureTitle(chart.title, chart.subtitle)
         << "set logscale x 2\nset xlabel \"speed, frames a second, each encode alone\"\nset ylabel \"how it looks, of "
            "100 (SSIMULACRA 2)\"\n"
         << "set xrange [" << lowest << ":" << highest * 1.6 << "]\nset offsets 0, 0, graph 0.14, graph 0.12\n"
         << data.str() << labels
         << VerticalLine(200, chart.frame_rate, kGrey, fmt::format("frame rate, {:g}", chart.frame_rate), 0.08)
         << VerticalLine(201, needed, kGreen,
                         fmt::format("with {:.0f} % headroom, {:.0f}", chart.headroom * 100, needed), 0.03)
         << plot.str() << '\n';
  DrawFigure(folder, chart.kName, script.str());
}

namespace {

using Output = ProofTimesChart::Output;

Output OutputOf(const PacedOutputOutcome& outcome) {
  Output output;
  for (const PacedFrame& frame : outcome.frame_times) {
    output.due_seconds.push_back(frame.due_ms / 1000);
    output.taken_ms.push_back(frame.taken_ms);
  }
  return output;
}

std::string FrameData(const Output& output) {
  std::ostringstream data;
  for (std::size_t i = 0; i < output.taken_ms.size(); ++i)
    if (output.taken_ms[i] >= 0) data << output.due_seconds.at(i) << ' ' << std::max(0.05, output.taken_ms[i]) << '\n';
  return data.str();
}

std::string SkippedData(const Output& output, double height) {
  std::ostringstream data;
  for (std::size_t i = 0; i < output.taken_ms.size(); ++i)
    if (output.taken_ms[i] < 0) data << output.due_seconds.at(i) << ' ' << height << '\n';
  return data.str();
}

// Below zero: no frame was taken.
double Slowest(const Output& output) {
  return output.taken_ms.empty() ? -1 : *std::max_element(output.taken_ms.begin(), output.taken_ms.end());
}

// The output's name beside its last frame.
std::string SideLabel(int id, const char* name, const Output& output, const char* colour, bool above) {
  if (output.taken_ms.empty()) return "";
  const double y = std::max(0.06, output.taken_ms.back());
  return fmt::format("set label {} {} at graph 1, first {} offset 0.8,{} left textcolor rgb \"{}\"\n", id, Quoted(name),
                     y, above ? 0.6 : -0.6, colour);
}

std::string Level(int id, double from, double to, double y, const char* colour, const std::string& text) {
  return fmt::format(
      "set arrow {0} from graph {1}, first {3} to graph {2}, first {3} nohead linecolor rgb \"{4}\" linewidth 2 "
      "dashtype "
      "2\nset label {0} {5} at graph {1}, first {3} offset 0.6,0.7 left textcolor rgb \"{4}\"\n",
      id, from, to, y, colour, Quoted(text));
}

// Across one quarter of the width, from `from` on. The windows' points lie around it, so its label stands at the top,
// where none lies.
std::string QuarterMedian(int id, double from, double fps, const char* quarter) {
  return Level(id, from, from + 0.25, fps, kOrange, "") +
         fmt::format("set label {} {} at graph {}, graph 0.96 center textcolor rgb \"{}\"\n", id + 10,
                     Quoted(fmt::format("{}: median {:.0f}", quarter, fps)), from + 0.125, kOrange);
}

}  // namespace

std::optional<ProofTimesChart> MakeProofTimesChart(const Attempt& attempt) {
  const Proof& proof = attempt.proof;
  ProofTimesChart chart;
  chart.stream = OutputOf(proof.stream);
  chart.recording = OutputOf(proof.recording);
  if (std::max(Slowest(chart.stream), Slowest(chart.recording)) < 0) return std::nullopt;
  chart.seconds = proof.seconds;
  const Pair& pair = attempt.pair;
  chart.interval_ms = 1000 / std::max(pair.stream.settings.frame_rate.fps(), pair.recording.settings.frame_rate.fps());
  chart.full_ms = chart.interval_ms * PaceTask{}.queue_depth;
  const bool one = pair.one_encode;
  const auto [frames, skipped] = proof.Total(one);
  const bool several = !one || !proof.further.empty();
  const std::string encodes = !several                                 ? "The encode"
                              : proof.holds() && proof.further.empty() ? "Both encodes"
                              : proof.holds()                          ? "All encodes"
                                                                       : "The encodes";
  chart.title = proof.holds() ? fmt::format("{} keep{} pace: no frame of {} was skipped in {:g} s", encodes,
                                            several ? "" : "s", frames, proof.seconds)
                              : fmt::format("{} do{} not keep pace: {} of {} frames were skipped in {:g} s", encodes,
                                            several ? "" : "es", skipped, frames, proof.seconds);
  const auto name = [](const Option& option) { return option.title() + (option.simulated ? " (simulated GPU)" : ""); };
  chart.subtitle = one ? fmt::format("stream: {}, recorded as it is; in real time", name(pair.stream))
                       : fmt::format("stream: {}; recording: {}; both at once in real time", name(pair.stream),
                                     name(pair.recording));
  return chart;
}

void Draw(const std::filesystem::path& folder, const ProofTimesChart& chart) {
  const double slowest = std::max(Slowest(chart.stream), Slowest(chart.recording));
  const std::string lost =
      SkippedData(chart.stream, chart.full_ms * 1.4) + SkippedData(chart.recording, chart.full_ms * 1.4);
  const bool stream_above = !chart.stream.taken_ms.empty() && !chart.recording.taken_ms.empty() &&
                            chart.stream.taken_ms.back() > chart.recording.taken_ms.back();
  std::ostringstream script;
  script << FigureTitle(chart.title, chart.subtitle)
         << fmt::format("set logscale y 10\nset yrange [0.05:{}]\nset xrange [0:{}]\n",
                        std::max(chart.full_ms, slowest) * 2, chart.seconds * 1.001)
         << "set xlabel \"seconds of the proof run\"\nset ylabel \"wait until the encoder took the frame, ms\"\n"
         << "set rmargin 15\n$stream << EOD\n"
         << FrameData(chart.stream) << "EOD\n$recording << EOD\n"
         << FrameData(chart.recording) << "EOD\n"
         << Level(200, 0, 1, chart.interval_ms, kGreen, fmt::format("one frame interval, {:.1f} ms", chart.interval_ms))
         << Level(201, 0, 1, chart.full_ms, kOrange,
                  fmt::format("queue full, {:.0f} ms: frames are skipped from here on", chart.full_ms))
         << SideLabel(202, "stream", chart.stream, kBlue, stream_above)
         << SideLabel(203, "recording", chart.recording, kOrange, !stream_above);
  if (!lost.empty()) script << "$skipped << EOD\n" << lost << "EOD\n";
  script << "plot $stream using 1:2 with points linecolor rgb \"" << kBlue << "\" pointtype 7 pointsize 0.45, "
         << "$recording using 1:2 with points linecolor rgb \"" << kOrange << "\" pointtype 5 pointsize 0.45";
  if (!lost.empty())
    script << ", $skipped using 1:2 with points linecolor rgb \"" << kInk << "\" pointtype 2 pointsize 0.8";
  script << '\n';
  DrawFigure(folder, chart.kName, script.str());
}

SoakChart MakeSoakChart(const EncodeSettings& settings, const std::vector<SoakWindow>& windows, const Drift& drift,
                        double required_headroom, bool simulated) {
  SoakChart chart;
  chart.title = fmt::format("{} {} {} under sustained load: {:+.1f} %", settings.encoder, settings.preset,
                            drift.verdict == Drift::Verdict::kSteady    ? "does not slow down"
                            : drift.verdict == Drift::Verdict::kUnclear ? "gives no clear answer"
                                                                        : Name(drift.verdict),
                            drift.change * 100);
  chart.subtitle = fmt::format("{}{} at {} frames a second, as fast as it goes; ±{:.1f} % (spread of the windows)",
                               settings.size.str(), simulated ? " (simulated GPU)" : "", settings.frame_rate.str(),
                               drift.noise * 100);
  chart.needed_fps = settings.frame_rate.fps() / (1 - required_headroom);
  chart.needed = fmt::format("needed: {} frames a second and {:.0f} % headroom, {:.0f}", settings.frame_rate.str(),
                             required_headroom * 100, chart.needed_fps);
  chart.first_fps = drift.first_fps;
  chart.last_fps = drift.last_fps;
  chart.end_minutes = (windows.back().start_seconds + (windows.size() > 1 ? windows[1].start_seconds : 0)) / 60;
  for (const SoakWindow& window : windows) {
    chart.minutes.push_back(window.start_seconds / 60);
    chart.fps.push_back(window.fps);
  }
  return chart;
}

void Draw(const std::filesystem::path& folder, const SoakChart& chart) {
  double highest = chart.needed_fps;
  std::ostringstream data, script;
  for (std::size_t i = 0; i < chart.fps.size(); ++i) {
    data << chart.minutes.at(i) << ' ' << chart.fps[i] << '\n';
    highest = std::max(highest, chart.fps[i]);
  }
  script << FigureTitle(chart.title, chart.subtitle)
         << fmt::format(
                "set xlabel \"minutes\"\nset ylabel \"frames a second, in each window\"\nset xrange [0:{}]\n"
                "set yrange [0:{}]\n$soak << EOD\n",
                chart.end_minutes, highest * 1.15)
         << data.str() << "EOD\n"
         << Level(200, 0, 1, chart.needed_fps, kGreen, chart.needed)
         << QuarterMedian(201, 0, chart.first_fps, "first quarter")
         << QuarterMedian(202, 0.75, chart.last_fps, "last quarter")
         << "plot $soak using 1:2 with linespoints linecolor rgb \"" << kBlue
         << "\" linewidth 1.5 pointtype 7 pointsize 0.8\n";
  DrawFigure(folder, chart.kName, script.str());
}

KETTLE_JSON(SpeedQualityChart::Point, name, fps, score, chosen)
KETTLE_JSON(SpeedQualityChart::Series, title, points)
KETTLE_JSON(SpeedQualityChart, title, subtitle, frame_rate, headroom, series, refined)
KETTLE_JSON(ProofTimesChart::Output, due_seconds, taken_ms)
KETTLE_JSON(ProofTimesChart, title, subtitle, seconds, interval_ms, full_ms, stream, recording)
KETTLE_JSON(SoakChart, title, subtitle, needed, end_minutes, needed_fps, first_fps, last_fps, minutes, fps)

}  // namespace kettle
