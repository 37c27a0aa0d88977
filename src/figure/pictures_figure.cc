// SPDX-License-Identifier: Apache-2.0
#include "figure/pictures_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <map>
#include <sstream>
#include <stdexcept>

#include "figure/plot.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

// Those that keep pace, best first.
std::vector<TriedPicture> Ranked(const std::vector<TriedPicture>& tried) {
  std::vector<TriedPicture> ranked;
  std::copy_if(tried.begin(), tried.end(), std::back_inserter(ranked),
               [](const auto& p) { return p.best.has_value(); });
  std::stable_sort(ranked.begin(), ranked.end(), [](const auto& a, const auto& b) {
    return a.best->calm.empty() != b.best->calm.empty() ? b.best->calm.empty() : a.best->score > b.best->score;
  });
  return ranked;
}

bool IsChosen(const TriedPicture& picture, const EncodeSettings& chosen) {
  return picture.size == chosen.size && picture.rate == chosen.frame_rate;
}

void AddTitle(const std::vector<TriedPicture>& ranked, const EncodeSettings& chosen, PicturesChart& chart) {
  const bool best = IsChosen(ranked.front(), chosen);
  const bool simulated = std::any_of(ranked.begin(), ranked.end(), [](const auto& p) { return p.best->simulated; });
  chart.title = fmt::format("{} at {} frames a second looks best {}", chosen.size.str(), chosen.frame_rate.str(),
                            best ? "of the sizes tried" : "beside the recording; alone another would");
  chart.subtitle = fmt::format(
      "{}; each with the best preset tried; {}{}", chosen.bit_rate.str(),
      ranked.front().best->calm.empty() ? "on the clip where it looks worst" : "busy and calm moments half each",
      simulated ? "; some on a simulated GPU" : "");
}

}  // namespace

std::optional<PicturesChart> MakePicturesChart(const std::vector<TriedPicture>& tried, const EncodeSettings& chosen) {
  const std::vector<TriedPicture> ranked = Ranked(tried);
  if (ranked.size() < 2) return std::nullopt;
  PicturesChart chart;
  AddTitle(ranked, chosen, chart);
  const bool calm = !ranked.front().best->calm.empty();
  for (const TriedPicture& picture : ranked)
    chart.rows.push_back({fmt::format("{} at {}, {}", picture.size.str(), picture.rate.str(), picture.best->title()),
                          picture.rate, picture.best->score, IsChosen(picture, chosen),
                          calm && picture.best->calm.empty()});
  return chart;
}

void Draw(const std::filesystem::path& folder, const PicturesChart& chart) {
  if (chart.rows.empty()) throw std::out_of_range("an empty chart");
  std::map<double, std::ostringstream, std::greater<>> by_rate;  // a line each: quality, row, what stands beside it
  std::map<double, std::string> names;
  std::string rows;
  for (std::size_t i = 0; i < chart.rows.size(); ++i) {
    const PicturesChart::Row& row = chart.rows[i];
    rows += fmt::format("{}{} {}", rows.empty() ? "" : ", ", Quoted(row.name), i + 1);
    by_rate[row.rate.fps()] << fmt::format("{} {} \"{:.1f}{}\" {}\n", row.score, i + 1, row.score,
                                           row.chosen         ? "   chosen"
                                           : row.busiest_only ? "   busy moments only"
                                                              : "",
                                           row.busiest_only ? 1 : 0);
    names[row.rate.fps()] = row.rate.str();
  }
  const auto [lowest, highest] = std::minmax_element(chart.rows.begin(), chart.rows.end(),
                                                     [](const auto& a, const auto& b) { return a.score < b.score; });
  const double best = highest->score, worst = lowest->score;
  const double margin = std::max(0.5, (best - worst) * 0.25), left = worst - margin;
  std::ostringstream script;
  std::string plot;
  std::size_t index = 0;
  for (const auto& [fps, data] : by_rate) {
    const Look look = LookOf(index++);
    script << "$rate_" << index << " << EOD\n" << data.str() << "EOD\n";
    plot += fmt::format(
        "{0}$rate_{1} using ({2}):2:($1-{2}):(0) with vectors nohead linewidth 5 linecolor rgb \"{3}\" notitle, "
        "$rate_{1} using 1:2 with points linecolor rgb \"{3}\" pointtype 7 pointsize 1.8 title {4}, "
        "$rate_{1} using ($4 > 0 ? $1 : 1/0):2 with points linecolor rgb \"white\" pointtype 7 pointsize 1.1 notitle, "
        "$rate_{1} using 1:2:3 with labels left offset 1.5,0 textcolor rgb \"{5}\" notitle",
        plot.empty() ? "plot " : ", ", index, left, look.colour, Quoted(names[fps] + " frames a second"), kInk);
  }
  script << FigureTitle(chart.title, chart.subtitle) << "set lmargin at screen 0.27\n"
         << fmt::format("set xrange [{}:{}]\nset yrange [{}:0.3]\nset ytics ({}) scale 0\nunset grid\nset grid xtics\n",
                        left, best + margin, static_cast<double>(chart.rows.size()) + 0.7, rows)
         << "set xlabel \"how it looks, of 100 (SSIMULACRA 2)\"\nset key bottom right Left reverse samplen 1\n"
         << plot << '\n';
  DrawFigure(folder, chart.kName, script.str());
}

KETTLE_JSON(PicturesChart::Row, name, rate, score, chosen, busiest_only)
KETTLE_JSON(PicturesChart, title, subtitle, rows)

}  // namespace kettle
