// SPDX-License-Identifier: Apache-2.0
#include "figure/figures.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <sstream>

#include "figure/plot.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/realtime/pace_task.h"
#include "kettle/units/error.h"
#include "kettle/units/statistics.h"

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

// Options with a quality, by series, fastest first.
std::map<std::string, std::vector<Option>> BySeries(const std::vector<Option>& options) {
  std::map<std::string, std::vector<Option>> series;
  for (const Option& option : options)
    if (option.throughput_fps > 0 && option.score > 0) series[SeriesTitle(option, options)].push_back(option);
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

// The presets' names beside their points, fastest first.
// Where points stand close together, every other name goes below its point.
std::string SeriesLabels(const std::vector<Option>& members, const std::optional<Option>& chosen, const Look& look,
                         int& label) {
  constexpr double kCloseOctaves = 0.5;
  std::string text;
  bool below = false;
  for (std::size_t i = 0; i < members.size(); ++i) {
    const Option& option = members[i];
    const bool close = i > 0 && std::log2(members[i - 1].throughput_fps / option.throughput_fps) < kCloseOctaves;
    below = close && !below;
    const bool is_chosen = chosen && chosen->settings == option.settings;
    text += fmt::format("set label {} {} at {}, {} offset 0.9,{} left textcolor rgb \"{}\"{}\n", label++,
                        Quoted(option.settings.preset + (is_chosen ? "  (chosen)" : "")), option.throughput_fps,
                        option.score, below ? -0.7 : 0.5, look.colour, is_chosen ? " font ',15'" : "");
  }
  return text;
}

}  // namespace

void DrawSpeedQuality(const std::filesystem::path& folder, const std::vector<Option>& options,
                      const std::optional<Option>& chosen, double required_headroom) {
  const auto series = BySeries(options);
  if (series.empty()) return;
  const EncodeSettings& settings = series.begin()->second.front().settings;
  const double rate = settings.frame_rate.fps(), needed = rate / (1 - required_headroom);
  double highest = needed * 1.3, lowest = rate * 0.9;
  std::ostringstream data, plot;
  int label = 1;
  std::string labels;
  std::size_t index = 0;
  for (const auto& [title, members] : series) {
    const Look look = LookOf(index++);
    const std::string block = fmt::format("$series_{}", label);
    data << block << " << EOD\n";
    for (const Option& option : members) data << option.throughput_fps << ' ' << option.score << '\n';
    data << "EOD\n";
    highest = std::max(highest, members.front().throughput_fps);
    lowest = std::min(lowest, members.back().throughput_fps * 0.9);
    labels += SeriesLabels(members, chosen, look, label);
    plot << (plot.str().empty() ? "plot " : ", ") << block << " using 1:2 with linespoints linecolor rgb \""
         << look.colour << "\" linewidth 1.5 pointtype " << look.point << " pointsize 1.3 "
         << "title " << Quoted(title);
  }
  if (chosen) {
    // Refined after the presets were compared: a point of its own.
    const bool refined = std::none_of(options.begin(), options.end(),
                                      [&](const Option& option) { return option.settings == chosen->settings; });
    if (refined)
      labels +=
          fmt::format("set label {} {} at {}, {} offset 1.6,0 left textcolor rgb \"{}\" font ',15'\n", label++,
                      Quoted(fmt::format("{} with {}  (chosen)", chosen->settings.preset, Extras(chosen->settings))),
                      chosen->throughput_fps, chosen->score, kInk);
    data << "$chosen << EOD\n" << chosen->throughput_fps << ' ' << chosen->score << "\nEOD\n";
    plot << ", $chosen using 1:2 with points linecolor rgb \"" << kInk
         << "\" linewidth 2 pointtype 6 pointsize 3.2 notitle";
  }
  std::ostringstream script;
  const std::size_t rows = (series.size() + 1) / 2;
  script << "set bmargin " << 4.5 + static_cast<double>(rows)
         << "\nset key at screen 0.5, screen 0.012 center bottom Left reverse samplen 2 maxrows " << rows << '\n';
  script << FigureTitle(SpeedQualityTitle(options, chosen, required_headroom),
                        Named(settings, options, false) + "; each on the clip where it is slowest and looks worst");
  script << "set logscale x 2\nset xlabel \"speed, frames a second, each encode alone\"\nset ylabel \"MS-SSIM, "
            "dB\"\n"
         << "set xrange [" << lowest << ":" << highest * 1.6 << "]\nset offsets 0, 0, graph 0.14, graph 0.12\n"
         << data.str() << labels;
  script << VerticalLine(200, rate, kGrey, fmt::format("frame rate, {:g}", rate), 0.97);
  script << VerticalLine(201, needed, kGreen,
                         fmt::format("with {:.0f} % headroom, {:.0f}", required_headroom * 100, needed), 0.92);
  script << plot.str() << '\n';
  DrawFigure(folder, "speed-quality", script.str());
}

namespace {

std::string FrameData(const PacedOutputOutcome& output) {
  std::ostringstream data;
  for (const PacedFrame& frame : output.frame_times)
    if (frame.taken_ms >= 0) data << frame.due_ms / 1000 << ' ' << std::max(0.05, frame.taken_ms) << '\n';
  return data.str();
}

std::string SkippedData(const PacedOutputOutcome& output, double height) {
  std::ostringstream data;
  for (const PacedFrame& frame : output.frame_times)
    if (frame.taken_ms < 0) data << frame.due_ms / 1000 << ' ' << height << '\n';
  return data.str();
}

std::optional<double> Worst(const PacedOutputOutcome& output) {
  std::vector<double> times;
  for (const PacedFrame& frame : output.frame_times)
    if (frame.taken_ms >= 0) times.push_back(frame.taken_ms);
  return Quantile(times, 1);
}

}  // namespace

void DrawProofTimes(const std::filesystem::path& folder, const Attempt& attempt) {
  const Proof& proof = attempt.proof;
  if (!Worst(proof.stream) && !Worst(proof.recording)) return;  // it ended before any frame was taken
  const double interval_ms = 1000 / attempt.pair.recording.settings.frame_rate.fps();
  const double full_ms = interval_ms * PaceTask{}.queue_depth;
  const int skipped = proof.stream.skipped + proof.recording.skipped;
  const double slowest = std::max(Worst(proof.stream).value_or(0), Worst(proof.recording).value_or(0));
  std::ostringstream script;
  script << FigureTitle(
      proof.holds() ? fmt::format("Both encodes keep pace: no frame of {} was skipped in {:g} s",
                                  proof.stream.frames + proof.recording.frames, proof.seconds)
                    : fmt::format("The encodes do not keep pace: {} of {} frames were skipped in {:g} s", skipped,
                                  proof.stream.frames + proof.recording.frames, proof.seconds),
      fmt::format("stream: {}{}; recording: {}{}; both at once in real time", attempt.pair.stream.title(),
                  attempt.pair.stream.simulated ? " (simulated GPU)" : "", attempt.pair.recording.title(),
                  attempt.pair.recording.simulated ? " (simulated GPU)" : ""));
  script << "set logscale y 10\nset yrange [0.05:" << std::max(full_ms, slowest) * 2
         << "]\nset xrange [0:" << proof.seconds * 1.001 << "]\n"
         << "set xlabel \"seconds of the proof run\"\nset ylabel \"wait until the encoder took the frame, ms\"\n"
         << "set rmargin 15\n"
         << "$stream << EOD\n"
         << FrameData(proof.stream) << "EOD\n$recording << EOD\n"
         << FrameData(proof.recording) << "EOD\n";
  const auto line = [&](int id, double y, const char* colour, const std::string& text) {
    script << "set arrow " << id << " from graph 0, first " << y << " to graph 1, first " << y
           << " nohead linecolor rgb \"" << colour << "\" linewidth 2 dashtype 2\nset label " << id << ' '
           << Quoted(text) << " at graph 0.005, first " << y << " offset 0,0.7 left textcolor rgb \"" << colour
           << "\"\n";
  };
  line(200, interval_ms, kGreen, fmt::format("one frame interval, {:.1f} ms", interval_ms));
  line(201, full_ms, kOrange, fmt::format("queue full, {:.0f} ms: frames are skipped from here on", full_ms));
  const auto side_label = [&](int id, const char* text, const PacedOutputOutcome& output, const char* colour,
                              double offset) {
    const double y = output.frame_times.empty() ? 1 : std::max(0.06, output.frame_times.back().taken_ms);
    script << "set label " << id << ' ' << Quoted(text) << " at graph 1, first " << y << " offset 0.8," << offset
           << " left textcolor rgb \"" << colour << "\"\n";
  };
  const bool stream_above = !proof.stream.frame_times.empty() && !proof.recording.frame_times.empty() &&
                            proof.stream.frame_times.back().taken_ms > proof.recording.frame_times.back().taken_ms;
  side_label(202, "stream", proof.stream, kBlue, stream_above ? 0.6 : -0.6);
  side_label(203, "recording", proof.recording, kOrange, stream_above ? -0.6 : 0.6);
  const std::string lost = SkippedData(proof.stream, full_ms * 1.4) + SkippedData(proof.recording, full_ms * 1.4);
  if (!lost.empty()) script << "$skipped << EOD\n" << lost << "EOD\n";
  script << "plot $stream using 1:2 with points linecolor rgb \"" << kBlue << "\" pointtype 7 pointsize 0.45, "
         << "$recording using 1:2 with points linecolor rgb \"" << kOrange << "\" pointtype 5 pointsize 0.45";
  if (!lost.empty())
    script << ", $skipped using 1:2 with points linecolor rgb \"" << kInk << "\" pointtype 2 pointsize 0.8";
  script << '\n';
  DrawFigure(folder, "proof-times", script.str());
}

void DrawSoak(const std::filesystem::path& folder, const EncodeSettings& settings,
              const std::vector<SoakWindow>& windows, const Drift& drift, double required_headroom, bool simulated) {
  const double needed = settings.frame_rate.fps() / (1 - required_headroom);
  const double end = windows.back().start_seconds + (windows.size() > 1 ? windows[1].start_seconds : 0);
  double highest = needed;
  std::ostringstream data;
  for (const SoakWindow& window : windows) {
    data << window.start_seconds / 60 << ' ' << window.fps << '\n';
    highest = std::max(highest, window.fps);
  }
  std::ostringstream script;
  script << FigureTitle(fmt::format("{} {} {} under sustained load: {:+.1f} %", settings.encoder, settings.preset,
                                    drift.verdict == Drift::Verdict::kSteady    ? "does not slow down"
                                    : drift.verdict == Drift::Verdict::kUnclear ? "gives no clear answer"
                                                                                : Name(drift.verdict),
                                    drift.change * 100),
                        fmt::format("{}{} at {} frames a second, as fast as it goes; ±{:.1f} % (spread of the windows)",
                                    settings.size.str(), simulated ? " (simulated GPU)" : "", settings.frame_rate.str(),
                                    drift.noise * 100));
  script << "set xlabel \"minutes\"\nset ylabel \"frames a second, in each window\"\nset xrange [0:" << end / 60
         << "]\nset yrange [0:" << highest * 1.15 << "]\n$soak << EOD\n"
         << data.str() << "EOD\n";
  const auto level = [&](int id, double from, double to, double y, const char* colour, const std::string& text) {
    script << "set arrow " << id << " from graph " << from << ", first " << y << " to graph " << to << ", first " << y
           << " nohead linecolor rgb \"" << colour << "\" linewidth 2 dashtype 2\nset label " << id << ' '
           << Quoted(text) << " at graph " << from << ", first " << y << " offset 0.6,0.7 left textcolor rgb \""
           << colour << "\"\n";
  };
  level(200, 0, 1, needed, kGreen,
        fmt::format("needed: {} frames a second and {:.0f} % headroom, {:.0f}", settings.frame_rate.str(),
                    required_headroom * 100, needed));
  level(201, 0, 0.25, drift.first_fps, kOrange, fmt::format("first quarter, {:.0f}", drift.first_fps));
  level(202, 0.75, 1, drift.last_fps, kOrange, fmt::format("last quarter, {:.0f}", drift.last_fps));
  script << "plot $soak using 1:2 with linespoints linecolor rgb \"" << kBlue
         << "\" linewidth 1.5 pointtype 7 pointsize 0.8\n";
  DrawFigure(folder, "soak", script.str());
}

}  // namespace kettle
