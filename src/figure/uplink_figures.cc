// SPDX-License-Identifier: Apache-2.0
#include "figure/uplink_figures.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "figure/plot.h"
#include "kettle/units/statistics.h"

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

void DrawLine(const std::filesystem::path& folder, const LineTrace& line, const Budget& budget,
              const RateChoice& choice) {
  const std::vector<double> carried = line.PerSecond();
  const double chosen = choice.chosen() ? choice.chosen_kbps() : budget.one_encode_kbps();
  const auto copies = static_cast<double>(std::max<std::size_t>(1, budget.one_for_all.size()));
  std::ostringstream script;
  script << FigureTitle(fmt::format("Your uplink carries {:.1f} Mbit/s; {:.1f} Mbit/s of it may be video",
                                    budget.carried_kbps / 1000, chosen * copies / 1000),
                        fmt::format("{}; without what is reserved for others", budget.carried_how))
         << Steps("$line", carried, 1e-3)
         << fmt::format("set xlabel \"seconds\"\nset ylabel \"Mbit/s\"\nset xrange [0:{}]\nset yrange [0:{:.2f}]\n",
                        carried.size(), *std::max_element(carried.begin(), carried.end()) * 1.25e-3)
         << "set key top left Left reverse samplen 2 spacing 1.15\n"
         << HorizontalLine(11, budget.carried_kbps / 1000, kGrey, "what the budget counts on")
         << HorizontalLine(12, budget.budget_kbps / 1000, kOrange, "budget for all that is sent");
  std::string plot = fmt::format(
      "plot $line using 1:2 with fillsteps fillcolor rgb \"#dfe9f0\" fillstyle solid notitle, $line using 1:2 with "
      "steps "
      "linecolor rgb \"{}\" linewidth 1.6 title \"your uplink\"",
      kBlue);
  // One of each kind, the best. A long line shows the range of their seconds, a short one each second.
  constexpr std::size_t kShort = 120;
  std::size_t drawn = 0;
  for (const RateControl kind : {RateControl::kConstantBitRate, RateControl::kCappedVariable}) {
    const auto answer = std::find_if(choice.answers.begin(), choice.answers.end(),
                                     [&](const RateControlAnswer& a) { return a.sample.kind == kind; });
    if (answer == choice.answers.end()) continue;
    const std::vector<double> seconds = Repeated(answer->sample, chosen * copies, carried.size());
    const auto [low, high] = std::minmax_element(seconds.begin(), seconds.end());
    const char* colour = ++drawn == 1 ? kGreen : kPurple;
    const std::string block = fmt::format("$encode{}", drawn);
    const std::string name =
        fmt::format("video, {}: {:.1f} to {:.1f} Mbit/s", answer->sample.title(), *low / 1000, *high / 1000);
    if (carried.size() <= kShort) {
      script << Steps(block, seconds, 1e-3);
      plot += fmt::format(", {} using 1:2 with steps linecolor rgb \"{}\" linewidth 1.6 title {}", block, colour,
                          Quoted(name));
      continue;
    }
    script << fmt::format("{} << EOD\n0 {:.3f} {:.3f}\n{} {:.3f} {:.3f}\nEOD\n", block, *low * 1e-3, *high * 1e-3,
                          carried.size(), *low * 1e-3, *high * 1e-3);
    plot +=
        fmt::format(", {} using 1:2:3 with filledcurves fillcolor rgb \"{}\" fillstyle transparent solid 0.45 title {}",
                    block, colour, Quoted(name));
  }
  script << plot << '\n';
  DrawFigure(folder, "line", script.str());
}

void DrawQueueDelay(const std::filesystem::path& folder, const std::vector<DelayCurve>& curves, double kbps,
                    double most_delay_seconds) {
  std::ostringstream script, data;
  std::string plot;
  int least = curves.front().outcome.dropped, most = least;
  double top = most_delay_seconds;
  std::size_t seconds = 1;
  for (std::size_t i = 0; i < curves.size(); ++i) {
    const DelayCurve& curve = curves[i];
    const std::string block = fmt::format("$delay{}", i);
    data << Steps(block, curve.outcome.delay_by_second, 1);
    plot += fmt::format(
        "{}{} using 1:2 with steps linecolor rgb \"{}\" linewidth {} title {}", i == 0 ? "plot " : ", ", block,
        LookOf(i).colour, i == 0 ? 2.4 : 1.4,
        Quoted(fmt::format("{}: {} of {} frames dropped", curve.name, curve.outcome.dropped, curve.outcome.frames)));
    least = std::min(least, curve.outcome.dropped);
    most = std::max(most, curve.outcome.dropped);
    top = std::max(top, curve.outcome.peak_delay_seconds);
    seconds = std::max(seconds, curve.outcome.delay_by_second.size());
  }
  const bool alike = most - least <= std::max(5, most / 10);
  const std::string title =
      most == 0 ? fmt::format("At {:.0f} kbit/s no rate control drops a frame on this uplink", kbps)
      : alike   ? fmt::format("At {:.0f} kbit/s {} frames are dropped, whatever the rate control", kbps, most)
                : fmt::format("At {:.0f} kbit/s the rate control decides: {} to {} frames dropped", kbps, least, most);
  script << FigureTitle(title, "longest wait in the send queue, second by second (send-queue model, predicted)")
         << data.str()
         << fmt::format(
                "set xlabel \"seconds\"\nset ylabel \"delay, seconds\"\nset xrange [0:{}]\nset yrange [0:{:.2f}]\n",
                seconds, top * 1.3)
         << "set key top left Left reverse samplen 2 spacing 1.15\n"
         << HorizontalLine(11, most_delay_seconds, kGrey, "older frames are dropped") << plot << '\n';
  DrawFigure(folder, "queue-delay", script.str());
}

}  // namespace kettle
