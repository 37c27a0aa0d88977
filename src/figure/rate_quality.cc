// SPDX-License-Identifier: Apache-2.0
#include "figure/rate_quality.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <map>
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

void DrawPictures(const std::filesystem::path& folder, const std::vector<TriedPicture>& tried,
                  const EncodeSettings& chosen) {
  std::map<double, std::vector<TriedPicture>, std::greater<>> by_rate;
  int drawn = 0;
  bool simulated = false;
  for (const TriedPicture& picture : tried) {
    if (!picture.best) continue;
    by_rate[picture.rate.fps()].push_back(picture);
    simulated = simulated || picture.best->simulated;
    ++drawn;
  }
  if (drawn < 2) return;
  std::ostringstream data, plot, labels, script;
  std::size_t index = 0;
  int label = 1;
  std::string data_of_taken;
  bool is_best = true;
  for (auto& [rate, pictures] : by_rate) {
    std::sort(pictures.begin(), pictures.end(),
              [](const TriedPicture& a, const TriedPicture& b) { return a.size.height < b.size.height; });
    const Look look = LookOf(index++);
    data << "$rate_" << index << " << EOD\n";
    bool below = false;
    for (std::size_t i = 0; i < pictures.size(); ++i) {
      const TriedPicture& picture = pictures[i];
      // Names of sizes that are close together would lie on each other.
      below = i > 0 && !below && (picture.size.height - pictures[i - 1].size.height) * 5 < picture.size.height;
      data << picture.size.height << ' ' << picture.best->score << '\n';
      const bool taken = picture.size == chosen.size && picture.rate == chosen.frame_rate;
      labels << fmt::format("set label {} {} at {}, {} offset {} textcolor rgb \"{}\"\n", label++,
                            Quoted(picture.best->title() + (taken ? "  (taken)" : "")), picture.size.height,
                            picture.best->score, below ? "0.9,-0.8 left" : "0,0.9 center", look.colour);
      if (taken) {
        data_of_taken = fmt::format("$taken << EOD\n{} {}\nEOD\n", picture.size.height, picture.best->score);
        is_best = picture.best->score >= tried.front().best->score;
      }
    }
    data << "EOD\n";
    plot << (index == 1 ? "plot " : ", ") << "$rate_" << index << " using 1:2 with linespoints linecolor rgb \""
         << look.colour << "\" linewidth 1.5 pointtype " << look.point << " pointsize 1.3 title "
         << Quoted(fmt::format("{} frames a second", pictures.front().rate.str()));
  }
  if (!data_of_taken.empty())
    plot << ", $taken using 1:2 with points linecolor rgb \"" << kInk
         << "\" linewidth 2 pointtype 6 pointsize 3.2 notitle";
  script << FigureTitle(
                fmt::format("{} at {} frames a second looks best {}", chosen.size.str(), chosen.frame_rate.str(),
                            is_best ? "of what keeps pace" : "beside the recording; alone another would"),
                fmt::format("{}; each with its best preset that keeps pace, on the clip where it looks worst{}",
                            chosen.bit_rate.str(), simulated ? "; some on a simulated GPU" : ""))
         << data.str() << data_of_taken << labels.str()
         << "set xlabel \"height in lines\"\nset ylabel \"MS-SSIM, dB\"\n"
         << "set offsets graph 0.1, graph 0.1, graph 0.12, graph 0.1\nset key bottom right Left reverse samplen 2\n"
         << plot.str() << '\n';
  DrawFigure(folder, "pictures", script.str());
}

}  // namespace kettle
