// SPDX-License-Identifier: Apache-2.0
#include "figure/pictures_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <map>
#include <sstream>

#include "figure/plot.h"

namespace kettle {

namespace {

// Those that keep pace, best first.
std::vector<TriedPicture> Ranked(const std::vector<TriedPicture>& tried) {
  std::vector<TriedPicture> ranked;
  std::copy_if(tried.begin(), tried.end(), std::back_inserter(ranked),
               [](const auto& p) { return p.best.has_value(); });
  std::stable_sort(ranked.begin(), ranked.end(),
                   [](const auto& a, const auto& b) { return a.best->score > b.best->score; });
  return ranked;
}

bool IsTaken(const TriedPicture& picture, const EncodeSettings& chosen) {
  return picture.size == chosen.size && picture.rate == chosen.frame_rate;
}

std::string Title(const std::vector<TriedPicture>& ranked, const EncodeSettings& chosen) {
  const bool best = IsTaken(ranked.front(), chosen);
  const bool simulated = std::any_of(ranked.begin(), ranked.end(), [](const auto& p) { return p.best->simulated; });
  return FigureTitle(fmt::format("{} at {} frames a second looks best {}", chosen.size.str(), chosen.frame_rate.str(),
                                 best ? "of the sizes tried" : "beside the recording; alone another would"),
                     fmt::format("{}; each with its best preset that keeps pace, on the clip where it looks worst{}",
                                 chosen.bit_rate.str(), simulated ? "; some on a simulated GPU" : ""));
}

}  // namespace

void DrawPictures(const std::filesystem::path& folder, const std::vector<TriedPicture>& tried,
                  const EncodeSettings& chosen) {
  const std::vector<TriedPicture> ranked = Ranked(tried);
  if (ranked.size() < 2) return;
  std::map<double, std::ostringstream, std::greater<>> by_rate;  // a row each: quality, row, what to write beside it
  std::map<double, std::string> names;
  std::string rows;
  for (std::size_t i = 0; i < ranked.size(); ++i) {
    const TriedPicture& picture = ranked[i];
    rows += fmt::format(
        "{}{} {}", rows.empty() ? "" : ", ",
        Quoted(fmt::format("{} at {}, {}", picture.size.str(), picture.rate.str(), picture.best->title())), i + 1);
    by_rate[picture.rate.fps()] << fmt::format("{} {} \"{:.1f}{}\"\n", picture.best->score, i + 1, picture.best->score,
                                               IsTaken(picture, chosen) ? "   chosen" : "");
    names[picture.rate.fps()] = picture.rate.str();
  }
  const double best = ranked.front().best->score, worst = ranked.back().best->score;
  const double left = worst - std::max(0.5, (best - worst) * 0.25);
  std::ostringstream script;
  std::string plot;
  std::size_t index = 0;
  for (const auto& [fps, data] : by_rate) {
    const Look look = LookOf(index++);
    script << "$rate_" << index << " << EOD\n" << data.str() << "EOD\n";
    plot += fmt::format(
        "{0}$rate_{1} using ({2}):2:($1-{2}):(0) with vectors nohead linewidth 5 linecolor rgb \"{3}\" notitle, "
        "$rate_{1} using 1:2 with points linecolor rgb \"{3}\" pointtype 7 pointsize 1.8 title {4}, "
        "$rate_{1} using 1:2:3 with labels left offset 1.5,0 textcolor rgb \"{5}\" notitle",
        plot.empty() ? "plot " : ", ", index, left, look.colour, Quoted(names[fps] + " frames a second"), kInk);
  }
  script << Title(ranked, chosen) << "set lmargin at screen 0.27\n"
         << fmt::format("set xrange [{}:{}]\nset yrange [{}:0.3]\nset ytics ({}) scale 0\nunset grid\nset grid xtics\n",
                        left, best + std::max(0.5, (best - worst) * 0.25), static_cast<double>(ranked.size()) + 0.7,
                        rows)
         << "set xlabel \"MS-SSIM, dB\"\nset key bottom right Left reverse samplen 1\n"
         << plot << '\n';
  DrawFigure(folder, "pictures", script.str());
}

}  // namespace kettle
