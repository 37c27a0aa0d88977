// SPDX-License-Identifier: Apache-2.0
#include "figure/game_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "figure/plot.h"
#include "kettle/units/json_fields.h"

namespace kettle {

void Draw(const std::filesystem::path& folder, const GameFrames& game) {
  if (game.seconds.size() < 2) return;
  // What another program took is in the figures too: they say what was counted, not who took it.
  const std::string title = fmt::format("The game made {:.1f} frames a second beside the encodes, {:.1f} without them",
                                        game.beside_fps, game.alone_fps);
  std::ostringstream script;
  script << FigureTitle(title, "a SIMULATED game's own count, second by second") << "$frames << EOD\n";
  for (std::size_t i = 0; i < game.seconds.size(); ++i)
    script << static_cast<double>(i) + 0.5 << ' ' << game.seconds[i] << '\n';
  script << "EOD\n"
         << fmt::format("set xrange [0:{}]\nset yrange [0:{:g}]\n", game.seconds.size(), game.wanted_fps * 1.25)
         << "set xlabel \"seconds\"\nset ylabel \"frames a second\"\nunset key\nset boxwidth 0.9\n"
         << VerticalLine(1, game.begin_seconds, kInk, "the encodes begin", 0.96);
  if (game.end_seconds < static_cast<double>(game.seconds.size()))
    script << VerticalLine(2, game.end_seconds, kInk, "they end", 0.96);
  script
      << fmt::format(
             "set arrow 3 from graph 0, first {0} to graph 1, first {0} nohead dashtype 2 linewidth 2 linecolor rgb "
             "\"{1}\" front\nset label 3 \"wanted: {0:g}\" at graph 0.005, first {0} offset 0,0.7 left textcolor rgb "
             "\"{1}\" front\n",
             game.wanted_fps, kOrange)
      << fmt::format("plot $frames using 1:2 with boxes fillstyle solid noborder fillcolor rgb \"{}\" notitle\n",
                     kGreen);
  DrawFigure(folder, game.kName, script.str());
}

KETTLE_JSON(GameFrames, wanted_fps, alone_fps, beside_fps, seconds, begin_seconds, end_seconds)

}  // namespace kettle
