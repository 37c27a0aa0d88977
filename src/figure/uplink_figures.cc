// SPDX-License-Identifier: Apache-2.0
#include "figure/uplink_figures.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>
#include <stdexcept>

#include "figure/plot.h"
#include "kettle/units/json_fields.h"
#include "kettle/units/statistics.h"
#include "report/sentence.h"

namespace kettle {

namespace {

// Steps: each value holds for a second.
std::string Steps(const std::string& name, const std::vector<double>& values, double scale) {
  std::ostringstream data;
  data << name << " << EOD\n";
  for (std::size_t i = 0; i < values.size(); ++i) data << i << ' ' << values[i] * scale << '\n';
  if (!values.empty()) data << values.size() << ' ' << values.back() * scale << '\n';
  data << "EOD\n";
  return data.str();
}

std::string HorizontalLine(int id, double y, const char* colour, const std::string& text) {
  return fmt::format(
      "set arrow {0} from graph 0, first {1:.4f} to graph 1, first {1:.4f} nohead front dashtype 2 linewidth 1.5 "
      "linecolor rgb "
      "\"{2}\"\nset label {0} {3} at graph 0.995, first {1:.4f} right front offset 0, 0.6 textcolor rgb \"{2}\"\n",
      id, y, colour, Quoted(text));
}

// The encode's seconds at the chosen rate, repeated as long as the line lasts.
std::vector<double> Repeated(const RateControlSample& sample, double kbps, std::size_t seconds) {
  const std::vector<double> own = sample.SecondsKbps();
  std::vector<double> repeated;
  for (std::size_t i = 0; i < seconds; ++i) repeated.push_back(own[i % own.size()] * kbps / sample.mean_kbps());
  return repeated;
}

}  // namespace

LineChart MakeLineChart(const LineTrace& line, const Budget& budget, const RateChoice& choice) {
  LineChart chart;
  chart.carried_kbps = line.PerSecond();
  chart.counted_kbps = budget.carried_kbps;
  chart.budget_kbps = budget.budget_kbps;
  const double chosen = choice.chosen() ? choice.chosen_kbps() : budget.one_encode_kbps();
  const double video_kbps = chosen * static_cast<double>(std::max<std::size_t>(1, budget.one_for_all.size()));
  chart.title = fmt::format("Your uplink carries {:.1f} Mbit/s; {:.1f} Mbit/s of it may be video",
                            budget.carried_kbps / 1000, video_kbps / 1000);
  chart.subtitle = fmt::format("{}; without what is reserved for others", Sentence(budget.carried_how));
  for (const RateControl kind : {RateControl::kConstantBitRate, RateControl::kCappedVariable}) {
    const auto answer = std::find_if(choice.answers.begin(), choice.answers.end(),
                                     [&](const RateControlAnswer& a) { return a.sample.kind == kind; });
    if (answer != choice.answers.end())
      chart.encodes.push_back(
          {answer->sample.title(), Repeated(answer->sample, video_kbps, chart.carried_kbps.size())});
  }
  return chart;
}

void Draw(const std::filesystem::path& folder, const LineChart& chart) {
  if (chart.carried_kbps.empty()) throw std::out_of_range("an empty chart");
  const std::vector<double>& carried = chart.carried_kbps;
  std::ostringstream script;
  script << FigureTitle(chart.title, chart.subtitle) << Steps("$line", carried, 1e-3)
         << fmt::format("set xlabel \"seconds\"\nset ylabel \"Mbit/s\"\nset xrange [0:{}]\nset yrange [0:{:.2f}]\n",
                        carried.size(), *std::max_element(carried.begin(), carried.end()) * 1.25e-3)
         << "set key top left Left reverse samplen 2 spacing 1.15\n"
         << HorizontalLine(11, chart.counted_kbps / 1000, kGrey, "what the budget counts on")
         << HorizontalLine(12, chart.budget_kbps / 1000, kOrange, "budget for all that is sent");
  std::string plot = fmt::format(
      "plot $line using 1:2 with fillsteps fillcolor rgb \"#dfe9f0\" fillstyle solid notitle, $line using 1:2 with "
      "steps linecolor rgb \"{}\" linewidth 1.6 title \"your uplink\"",
      kBlue);
  // A long line shows the range of an encode's seconds, a short one each second.
  constexpr std::size_t kShort = 120;
  std::size_t drawn = 0;
  for (const LineChart::Encode& encode : chart.encodes) {
    if (encode.seconds_kbps.empty()) throw std::out_of_range("an empty chart");
    const auto [low, high] = std::minmax_element(encode.seconds_kbps.begin(), encode.seconds_kbps.end());
    const char* colour = ++drawn == 1 ? kGreen : kPurple;
    const std::string block = fmt::format("$encode{}", drawn);
    const std::string name =
        Quoted(fmt::format("video, {}: {:.1f} to {:.1f} Mbit/s", encode.title, *low / 1000, *high / 1000));
    if (carried.size() <= kShort) {
      script << Steps(block, encode.seconds_kbps, 1e-3);
      plot += fmt::format(", {} using 1:2 with steps linecolor rgb \"{}\" linewidth 1.6 title {}", block, colour, name);
      continue;
    }
    script << fmt::format("{} << EOD\n0 {:.3f} {:.3f}\n{} {:.3f} {:.3f}\nEOD\n", block, *low * 1e-3, *high * 1e-3,
                          carried.size(), *low * 1e-3, *high * 1e-3);
    plot +=
        fmt::format(", {} using 1:2:3 with filledcurves fillcolor rgb \"{}\" fillstyle transparent solid 0.45 title {}",
                    block, colour, name);
  }
  script << plot << '\n';
  DrawFigure(folder, chart.kName, script.str());
}

QueueDelayChart MakeQueueDelayChart(const std::vector<DelayCurve>& curves, double kbps, double most_delay_seconds) {
  QueueDelayChart chart;
  chart.most_delay_seconds = most_delay_seconds;
  int least = curves.front().outcome.dropped, most = least;
  for (const DelayCurve& curve : curves) {
    const SendingOutcome& outcome = curve.outcome;
    chart.curves.push_back({fmt::format("{}: {} of {} frames dropped", curve.name, outcome.dropped, outcome.frames),
                            outcome.delay_by_second});
    least = std::min(least, outcome.dropped);
    most = std::max(most, outcome.dropped);
    chart.peak_delay_seconds = std::max(chart.peak_delay_seconds, outcome.peak_delay_seconds);
  }
  const bool alike = most - least <= std::max(5, most / 10);
  chart.title =
      most == 0 ? fmt::format("At {:.0f} kbit/s no rate control drops a frame on this uplink", kbps)
      : alike   ? fmt::format("At {:.0f} kbit/s {} frames are dropped, whatever the rate control", kbps, most)
                : fmt::format("At {:.0f} kbit/s the rate control decides: {} to {} frames dropped", kbps, least, most);
  return chart;
}

void Draw(const std::filesystem::path& folder, const QueueDelayChart& chart) {
  std::ostringstream script, data;
  std::string plot;
  std::size_t seconds = 1;
  for (std::size_t i = 0; i < chart.curves.size(); ++i) {
    const QueueDelayChart::Curve& curve = chart.curves[i];
    const std::string block = fmt::format("$delay{}", i);
    data << Steps(block, curve.delay_by_second, 1);
    plot += fmt::format("{}{} using 1:2 with steps linecolor rgb \"{}\" linewidth {} title {}", i == 0 ? "plot " : ", ",
                        block, LookOf(i).colour, i == 0 ? 2.4 : 1.4, Quoted(curve.title));
    seconds = std::max(seconds, curve.delay_by_second.size());
  }
  script << FigureTitle(chart.title, "longest wait in the send queue, second by second (send-queue model, predicted)")
         << data.str()
         << fmt::format(
                "set xlabel \"seconds\"\nset ylabel \"delay, seconds\"\nset xrange [0:{}]\nset yrange [0:{:.2f}]\n",
                seconds, std::max(chart.most_delay_seconds, chart.peak_delay_seconds) * 1.3)
         << "set key top left Left reverse samplen 2 spacing 1.15\n"
         << HorizontalLine(11, chart.most_delay_seconds, kGrey, "older frames are dropped") << plot << '\n';
  DrawFigure(folder, chart.kName, script.str());
}

KETTLE_JSON(LineChart::Encode, title, seconds_kbps)
KETTLE_JSON(QueueDelayChart::Curve, title, delay_by_second)
KETTLE_JSON(LineChart, title, subtitle, counted_kbps, budget_kbps, carried_kbps, encodes)
KETTLE_JSON(QueueDelayChart, title, most_delay_seconds, peak_delay_seconds, curves)

}  // namespace kettle
