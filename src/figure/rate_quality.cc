// SPDX-License-Identifier: Apache-2.0
#include "figure/rate_quality.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>
#include <stdexcept>

#include "figure/plot.h"
#include "kettle/units/json_fields.h"
#include "report/sentence.h"

namespace kettle {

namespace {

using Curve = RateQualityChart::Curve;

std::string Data(const std::string& name, const Curve& curve) {
  std::ostringstream data;
  data << name << " << EOD\n";
  for (std::size_t i = 0; i < curve.kbps.size(); ++i) data << curve.kbps[i] << ' ' << curve.quality.at(i) << '\n';
  data << "EOD\n";
  return data.str();
}

std::string Subtitle(const Answer& answer) {
  const EncodeSettings& base = answer.variants.front().variant.settings;
  std::string text;
  const std::string& name = answer.question.name;
  if (name != "encoder") text += base.encoder + " " + base.preset + ", ";
  if (name != "size") text += base.size.str() + ", ";
  if (name != "frame-rate") text += base.frame_rate.str() + " frames a second, ";
  return text + fmt::format("mean of {}", fmt::join(answer.footage, ", "));
}

}  // namespace

std::optional<RateQualityChart> MakeRateQualityChart(const Answer& answer) {
  RateQualityChart chart{Sentence(answer.question.title) + " " + Sentence(answer.words),
                         Subtitle(answer),
                         answer.question.asked_rate.kbps(),
                         {},
                         {},
                         {}};
  for (const BitRate rate : answer.question.rates) chart.rates_kbps.push_back(rate.kbps());
  int look = 0;
  for (const VariantAnswer& variant : answer.variants) {
    Curve curve{variant.variant.label + (variant.simulated ? " (simulated GPU)" : ""), {}, {}, look++};
    for (const RatePoint& point : variant.curve) {
      curve.kbps.push_back(point.kbps);
      curve.quality.push_back(point.quality);
    }
    if (!curve.kbps.empty()) chart.curves.push_back(std::move(curve));
  }
  for (const HullPoint& point : answer.hull) {
    chart.hull.kbps.push_back(point.kbps);
    chart.hull.quality.push_back(point.quality);
  }
  if (chart.curves.empty()) return std::nullopt;
  return chart;
}

void Draw(const std::filesystem::path& folder, const RateQualityChart& chart) {
  if (chart.rates_kbps.empty()) throw std::out_of_range("an empty chart");
  std::ostringstream data, plot, script;
  std::size_t index = 0;
  for (const Curve& curve : chart.curves) {
    const Look look = LookOf(static_cast<std::size_t>(curve.look));
    const std::string block = fmt::format("$variant_{}", ++index);
    data << Data(block, curve);
    plot << ", " << block << " using 1:2 with linespoints linecolor rgb \"" << look.colour
         << "\" linewidth 1.5 pointtype " << look.point << " pointsize 1.2 title " << Quoted(curve.title);
  }
  std::string tics;
  for (const double kbps : chart.rates_kbps)
    tics += fmt::format("{}\"{:.0f}\" {:.0f}", tics.empty() ? "" : ", ", kbps, kbps);
  script
      << FigureTitle(chart.title, chart.subtitle) << data.str() << Data("$hull", chart.hull)
      << "set logscale x 2\nset xlabel \"bit rate, kbit/s\"\nset ylabel \"how it looks, of 100 (SSIMULACRA 2)\"\n"
      << fmt::format("set xtics ({})\nset xrange [{}:{}]\n", tics, chart.rates_kbps.front() * 0.85,
                     chart.rates_kbps.back() * 1.15)
      << "set offsets 0, 0, graph 0.08, graph 0.05\nset key bottom right Left reverse samplen 2 spacing 1.15\n"
      << VerticalLine(200, chart.asked_kbps, kGrey,
                      fmt::format("asked for, {}", BitRate::FromKbps(chart.asked_kbps).str()), 0.96)
      << "plot $hull using 1:2 with lines linecolor rgb \"#c9ced2\" linewidth 9 title \"the best of all (convex hull)\""
      << plot.str() << '\n';
  DrawFigure(folder, chart.kName, script.str());
}

KETTLE_JSON(Curve, title, kbps, quality, look)
KETTLE_JSON(RateQualityChart, title, subtitle, asked_kbps, rates_kbps, curves, hull)

}  // namespace kettle
