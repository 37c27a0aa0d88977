// SPDX-License-Identifier: Apache-2.0
#include "figure/rate_quality.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "figure/plot.h"

namespace kettle {

namespace {

std::string Data(const std::string& name, const RateCurve& curve) {
  std::ostringstream data;
  data << name << " << EOD\n";
  for (const RatePoint& point : curve) data << point.kbps << ' ' << point.quality_db << '\n';
  data << "EOD\n";
  return data.str();
}

std::string HullData(const std::vector<HullPoint>& hull) {
  RateCurve curve;
  for (const HullPoint& point : hull) curve.push_back({point.kbps, point.quality_db});
  return Data("$hull", curve);
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

void DrawRateQuality(const std::filesystem::path& folder, const Answer& answer) {
  std::ostringstream data, plot;
  bool simulated = false;
  std::size_t index = 0;
  for (const VariantAnswer& variant : answer.variants) {
    const Look look = LookOf(index++);
    if (variant.curve.empty()) continue;
    const std::string block = fmt::format("$variant_{}", index);
    data << Data(block, variant.curve);
    plot << ", " << block << " using 1:2 with linespoints linecolor rgb \"" << look.colour
         << "\" linewidth 1.5 pointtype " << look.point << " pointsize 1.2 title "
         << Quoted(variant.variant.label + (variant.simulated ? " (simulated GPU)" : ""));
    simulated = simulated || variant.simulated;
  }
  if (plot.str().empty()) return;
  std::ostringstream script;
  script << FigureTitle(answer.question.title + " " + answer.words, Subtitle(answer)) << data.str()
         << HullData(answer.hull) << "set logscale x 2\nset xlabel \"bit rate, kbit/s\"\nset ylabel \"MS-SSIM, dB\"\n"
         << "set xtics (";
  for (const BitRate rate : answer.question.rates)
    script << (rate == answer.question.rates.front() ? "" : ", ")
           << fmt::format("\"{:.0f}\" {:.0f}", rate.kbps(), rate.kbps());
  script
      << ")\nset xrange [" << answer.question.rates.front().kbps() * 0.85 << ':'
      << answer.question.rates.back().kbps() * 1.15
      << "]\nset offsets 0, 0, graph 0.08, graph 0.05\nset key bottom right Left reverse samplen 2 spacing 1.15\n"
      << VerticalLine(200, answer.question.asked_rate.kbps(), kGrey,
                      fmt::format("asked for, {}", answer.question.asked_rate.str()), 0.96)
      << "plot $hull using 1:2 with lines linecolor rgb \"#c9ced2\" linewidth 9 title \"the best of all (convex hull)\""
      << plot.str() << '\n';
  DrawFigure(folder, "rate-quality", script.str());
}

}  // namespace kettle
