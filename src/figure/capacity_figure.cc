// SPDX-License-Identifier: Apache-2.0
#include "figure/capacity_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <sstream>
#include <string>
#include <vector>

#include "figure/plot.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

using Bar = CapacityChart::Bar;
using Part = CapacityChart::Part;

std::vector<Bar> BarsOf(const Plan& plan) {
  Pair pair = *plan.chosen;
  if (pair.one_encode) pair.recording = Option();  // takes nothing
  for (const FurtherStream& further : pair.further) {
    pair.stream.cpu_cores += further.option.cpu_cores;
    pair.stream.feeding_cores += further.option.feeding_cores;
  }
  const double cores = plan.capacity.cpu_cores;
  // The demand counts what real time was seen to take more (Capacity::real_time_factor): so do its parts.
  const double alone =
      pair.stream.cpu_cores + pair.recording.cpu_cores + pair.stream.feeding_cores + pair.recording.feeding_cores;
  const double more = alone > 0 ? pair.demand.cpu_cores / alone : 1;
  const auto left = [&](double used) { return fmt::format("{:.2f} left for the game", std::max(0.0, cores - used)); };
  std::vector<Bar> bars = {
      {fmt::format("{:g} cores, predicted", cores),
       {{"stream", more * pair.stream.cpu_cores / cores, kBlue},
        {"recording", more * pair.recording.cpu_cores / cores, kAmber},
        {"scaling", more * (pair.stream.feeding_cores + pair.recording.feeding_cores) / cores, kGreen}},
       left(pair.demand.cpu_cores)}};
  const Proof& proof = plan.proving.attempts.back().proof;
  // The verdict goes by the busiest second; a run that was no second long has none.
  const double busiest = std::max(proof.cpu_cores, proof.busiest_cpu_cores);
  bars.push_back({"measured in the proof run",
                  {{plan.chosen->one_encode && pair.further.empty() ? "the encode"
                    : pair.further.empty()                          ? "both encodes"
                                                                    : "all encodes",
                    proof.cpu_cores / cores, kBlue},
                   {"busiest second", (busiest - proof.cpu_cores) / cores, kSky, kInk},
                   {"simulated GPU", proof.stand_in_cores / cores, kGrey},
                   {"other programs", (proof.other_cores + proof.stolen_cores) / cores, kPurple}},
                  left(busiest + proof.stand_in_cores + proof.other_cores + proof.stolen_cores)});
  if (pair.demand.engine_share > 0)
    bars.push_back(
        {plan.simulated ? "GPU's engine (simulated)" : "GPU's engine",
         {{"stream", pair.stream.engine_share(), kBlue}, {"recording", pair.recording.engine_share(), kAmber}},
         fmt::format("{:.0f} % left", 100 * (1 - pair.demand.engine_share))});
  return bars;
}

std::string TitleOf(const Plan& plan) {
  const Proof& proof = plan.proving.attempts.back().proof;
  const double engine = plan.chosen->demand.engine_share;
  std::string title =
      fmt::format("{} took {:.2f} of {:g} cores at most",
                  !plan.chosen->further.empty() ? "All encodes"
                  : plan.chosen->one_encode     ? "One encode for both"
                                                : "Both encodes",
                  std::max(proof.cpu_cores, proof.busiest_cpu_cores) + proof.stand_in_cores, plan.capacity.cpu_cores);
  if (engine > 0) title += fmt::format(", and {:.0f} % of the GPU's engine", engine * 100);
  return title;
}

}  // namespace

std::optional<CapacityChart> MakeCapacityChart(const Plan& plan) {
  if (!plan.chosen || plan.proving.attempts.empty()) return std::nullopt;
  return CapacityChart{TitleOf(plan),
                       fmt::format("stream: {}; recording: {}{}", StreamTitles(*plan.chosen),
                                   plan.chosen->one_encode ? "the same encode" : plan.chosen->recording.title(),
                                   plan.simulated ? "; the GPU is SIMULATED" : ""),
                       plan.capacity.headroom, BarsOf(plan)};
}

void Draw(const std::filesystem::path& folder, const CapacityChart& chart) {
  constexpr double kHalf = 0.25, kCharacter = 0.0105;  // of a bar's height; of the width
  const std::vector<Bar>& bars = chart.bars;
  std::ostringstream script, tics;
  std::string plot;
  int id = 1;
  for (std::size_t i = 0; i < bars.size(); ++i) {
    const auto y = static_cast<double>(bars.size() - i);
    tics << (i ? ", " : "") << Quoted(bars[i].name) << ' ' << y;
    double from = 0;
    const auto label = [&](const std::string& text, double middle, double shift, const std::string& colour) {
      script << fmt::format("set label {} {} at {:.4f},{:.2f} center offset 0,{} textcolor rgb {} front\n", id++,
                            Quoted(text), middle * 100, shift == 0 ? y : y + std::copysign(kHalf, shift), shift,
                            Quoted(ColourNamed(colour)));
    };
    constexpr double kBeside[] = {0.8, 2, 3.2};  // in lines of text from the bar's edge
    std::size_t place = 0;
    double last_outside = -1;
    for (const Part& part : bars[i].parts) {
      if (part.share < 0.001) continue;
      script << fmt::format(
          "set object {} rectangle from {:.4f},{:.2f} to {:.4f},{:.2f} fillcolor rgb {} fillstyle solid border rgb "
          "'white'\n",
          id++, from * 100, y - kHalf, (from + part.share) * 100, y + kHalf, Quoted(ColourNamed(part.colour)));
      const double middle = from + part.share / 2;
      // A narrow part is named above the bar, those near each other at different heights.
      const bool outside = part.share < kCharacter * static_cast<double>(part.name.size() + 1);
      const bool crowded = outside && last_outside >= 0 && middle - last_outside < 0.16;
      place = crowded ? (place + 1) % std::size(kBeside) : 0;
      label(part.name, middle, outside ? kBeside[place] : 0, outside ? std::string(kInk) : part.name_colour);
      if (outside) last_outside = middle;
      from += part.share;
    }
    if (from < 1)  // in a box of its own: the line of what must stay free may run through it
      script << fmt::format("set label {} {} at {:.4f},{:.2f} left offset 1,0 textcolor rgb \"{}\" boxed front\n", id++,
                            Quoted(bars[i].free), from * 100, y, kInk);
  }
  const double limit = 100 * (1 - chart.headroom);
  script << FigureTitle(chart.title, chart.subtitle)
         << VerticalLine(900, limit, kOrange, fmt::format("{:g} % must stay free", chart.headroom * 100), 0.97)
         << fmt::format("set xrange [0:100]\nset yrange [0.4:{}]\nset ytics ({})\nset lmargin 26\nset rmargin 14\n",
                        static_cast<double>(bars.size()) + 0.9, tics.str())
         << "set style textbox opaque noborder fillcolor rgb \"white\"\nset xlabel \"% of what there is\"\nset grid "
            "noytics\nunset key\nplot -1 notitle\n";
  DrawFigure(folder, chart.kName, script.str());
}

KETTLE_JSON(Part, name, share, colour, name_colour)
KETTLE_JSON(Bar, name, parts, free)
KETTLE_JSON(CapacityChart, title, subtitle, headroom, bars)

}  // namespace kettle
