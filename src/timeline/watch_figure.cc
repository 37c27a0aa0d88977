// SPDX-License-Identifier: Apache-2.0
#include "timeline/watch_figure.h"

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

// One row a second: time, the processors' stack by upper edges, Mbit/s sent, seconds waiting, MB/s recorded.
std::string Data(const WatchChart& chart) {
  std::ostringstream data;
  data << "$seconds << EOD\n";
  for (const WatchSecond& s : chart.seconds) {
    double sum = 0;
    data << s.start_seconds + 0.5;
    for (const double cores : {s.cpu_cores, s.game_cores, s.other_cores, s.stolen_cores}) data << ' ' << (sum += cores);
    data << ' ' << s.sent_kbps / 1000 << ' ' << (chart.usual_kbps > 0 ? s.unsent_kbit / chart.usual_kbps : 0) << ' '
         << s.recorded_kbps / 8000 << '\n';
  }
  data << "EOD\n";
  return data.str();
}

double Most(const std::vector<WatchSecond>& seconds, double WatchSecond::*field) {
  double most = 0;
  for (const WatchSecond& second : seconds) most = std::max(most, second.*field);
  return most;
}

// Between an axis' numbers: about three of them up to `most`, at 1, 2 or 5 of a power of ten.
double Step(double most) {
  const double wanted = std::max(0.05, most / 3), power = std::pow(10, std::floor(std::log10(wanted)));
  for (const double step : {1.0, 2.0, 5.0})
    if (step * power >= wanted) return step * power;
  return 10 * power;
}

// Where something went wrong, through all panels.
std::string Shades(const WatchChart& chart) {
  std::ostringstream script;
  int id = 1;
  for (const WatchChart::Stretch& stretch : chart.troubles)
    script << fmt::format(
        "set object {} rectangle from {}, graph 0 to {}, graph 1 behind fillstyle solid 0.18 noborder fillcolor rgb "
        "\"{}\"\n",
        id++, stretch.from, stretch.to, kOrange);
  return script.str();
}

// The cause's name once, where it begins first.
std::string Names(const WatchChart& chart) {
  std::ostringstream script;
  std::vector<std::string> told;
  for (const WatchChart::Stretch& stretch : chart.troubles) {
    if (std::find(told.begin(), told.end(), stretch.cause) != told.end()) continue;
    told.push_back(stretch.cause);
    script << fmt::format("set label {} {} at {}, graph 0.93 left offset 0.3,0 textcolor rgb \"{}\" front\n",
                          10 + told.size(), Quoted(stretch.cause), stretch.from, kOrange);
  }
  return script.str();
}

std::string ProcessorPanel(const WatchChart& chart, double end) {
  const std::array names = {"the program", "game", "other programs", "taken by the hypervisor"};
  const std::array colours = {kBlue, kGreen, kPurple, kGrey};
  std::string plot;
  for (std::size_t i = names.size(); i-- > 0;)
    plot += fmt::format("{}$seconds using 1:{} with boxes fillstyle solid noborder fillcolor rgb \"{}\" title \"{}\"",
                        plot.empty() ? "plot " : ", ", i + 2, colours[i], names[i]);
  return fmt::format(
             "set tmargin at screen 0.86\nset bmargin at screen 0.60\nset format x \"\"\nset ylabel \"processors\"\n"
             "set yrange [0:{0:.2f}]\nset key at screen 0.97,0.575 right horizontal Left reverse samplen 1.2\n"
             "set arrow 1 from 0,{1} to {2},{1} nohead dashtype 2 linewidth 1.5 linecolor rgb \"{3}\" front\n"
             "set label 1 \"all that may be used\" at {2},{1} right offset -0.5,0.6 textcolor rgb \"{3}\" front\n"
             "set boxwidth 0.9\n",
             chart.cpu_cores * 1.2, chart.cpu_cores, end, kInk) +
         Names(chart) + plot + "\n";
}

std::string LinePanel(const WatchChart& chart) {
  const double most = std::max(chart.usual_kbps, Most(chart.seconds, &WatchSecond::sent_kbps)) / 1000;
  const double waits = chart.usual_kbps > 0 ? Most(chart.seconds, &WatchSecond::unsent_kbit) / chart.usual_kbps : 0;
  return fmt::format(
      "unset label\nunset arrow\nunset title\nset tmargin at screen 0.49\nset bmargin at screen 0.31\n"
      "set key at screen 0.97,0.285 right horizontal Left reverse samplen 1.2\n"
      "set ylabel \"Mbit/s sent\"\nset yrange [0:{:.3f}]\nset ytics {:g} nomirror\nset y2range [0:{:.3f}]\nset y2tics "
      "{:g}\n"
      "set y2label \"seconds waiting\"\n"
      "plot $seconds using 1:6 with boxes fillstyle solid noborder fillcolor rgb \"{}\" title \"sent\", "
      "$seconds using 1:7 axes x1y2 with lines linewidth 2 linecolor rgb \"{}\" title \"waits to be sent\"\n"
      "unset y2tics\nunset y2label\n",
      std::max(0.1, most * 1.25), Step(most), std::max(1.2, waits * 1.2), Step(std::max(1.0, waits)), kSky, kInk);
}

std::string RecordingPanel(const WatchChart& chart) {
  const double most = Most(chart.seconds, &WatchSecond::recorded_kbps) / 8000;
  return fmt::format(
      "unset key\nset tmargin at screen 0.22\nset bmargin at screen 0.09\nset format x \"%g\"\nset xlabel \"seconds\"\n"
      "set ylabel \"MB/s recorded\"\nset yrange [0:{:.3f}]\nset ytics {:g}\n"
      "plot $seconds using 1:8 with boxes fillstyle solid noborder fillcolor rgb \"{}\" notitle\n",
      std::max(0.1, most * 1.25), Step(most), kAmber);
}

}  // namespace

std::optional<WatchChart> MakeWatchChart(const std::vector<WatchSecond>& seconds, const WatchFacts& facts,
                                         const WatchVerdict& verdict, const std::string& title) {
  if (seconds.size() < 2) return std::nullopt;
  WatchChart chart{title,           fmt::format("{} to {}, seen from outside", facts.program, facts.remote),
                   facts.cpu_cores, facts.planned_kbps.value_or(UsualKbps(seconds)),
                   seconds,         {}};
  for (const Trouble& trouble : verdict.troubles)
    chart.troubles.push_back(
        {trouble.program.empty() ? Name(trouble.cause) : trouble.program, trouble.from_seconds, trouble.to_seconds});
  return chart;
}

void Draw(const std::filesystem::path& folder, const WatchChart& chart) {
  if (chart.seconds.empty()) throw std::out_of_range("an empty chart");
  const double end = chart.seconds.back().start_seconds + 1;
  const std::string script =
      Data(chart) +
      fmt::format("set multiplot\nset lmargin at screen 0.10\nset rmargin at screen 0.92\nset xrange [0:{}]\n", end) +
      FigureTitle(chart.title, chart.subtitle) + Shades(chart) + ProcessorPanel(chart, end) + LinePanel(chart) +
      RecordingPanel(chart) + "unset multiplot\n";
  DrawFigure(folder, chart.kName, script);
}

KETTLE_JSON(WatchChart::Stretch, cause, from, to)
KETTLE_JSON(WatchChart, title, subtitle, cpu_cores, usual_kbps, seconds, troubles)

}  // namespace kettle
