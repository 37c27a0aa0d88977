// SPDX-License-Identifier: Apache-2.0
#include "figure/trade_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "figure/plot.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/units/json_fields.h"

namespace kettle {

std::string WayOf(const TradePoint& point) {
  if (point.one_encode) return "the stream's own encode";
  return point.size.str() + " at " + point.rate.str() + (point.codec == "h264" ? "" : ", " + CodecTitle(point.codec));
}

namespace {

using TradePlace = TradeChart::Point;

bool MayBeTaken(const TradePoint& point) {
  return point.one_encode || point.why.key.starts_with("trade.costs") || point.why.key.starts_with("codec.");
}

// A codec makes the file smaller and leaves both scores: of the codecs of one picture one is shown.
bool IsShownByAnother(const TradePoint& point, const std::vector<TradePoint>& all) {
  if (point.taken || point.one_encode) return false;
  return std::any_of(all.begin(), all.end(), [&](const TradePoint& other) {
    return !other.one_encode && other.size == point.size && other.rate == point.rate && other.codec != point.codec &&
           (other.taken || (other.codec == "h264" && point.codec != "h264"));
  });
}

std::string TitleOf(const TradePoint& taken) {
  if (taken.one_encode) return "The recording is the stream's own encode: it costs nothing";
  return fmt::format("Recording {} beside the stream", WayOf(taken));
}

// Those that no other beats in both, from the best stream to the best recording.
std::vector<TradePlace> Frontier(std::vector<TradePlace> points) {
  std::sort(points.begin(), points.end(), [](const TradePlace& a, const TradePlace& b) {
    return a.stream_score != b.stream_score ? a.stream_score > b.stream_score : a.recording_score > b.recording_score;
  });
  std::vector<TradePlace> frontier;
  for (const TradePlace& point : points)
    if (frontier.empty() || point.recording_score > frontier.back().recording_score) frontier.push_back(point);
  return frontier;
}

}  // namespace

std::optional<TradeChart> MakeTradeChart(const Plan& plan) {
  TradeChart chart;
  double alone = 0;
  for (const TradePoint& point : plan.trade) {
    if (point.one_encode) alone = point.stream_score.value_or(0);
    if (point.taken) chart.title = TitleOf(point);
    if (point.stream_score && point.recording_score && !IsShownByAnother(point, plan.trade))
      chart.points.push_back(
          {WayOf(point), *point.stream_score, *point.recording_score, point.taken, !point.taken && !MayBeTaken(point)});
  }
  if (chart.points.size() < 2 || chart.title.empty()) return std::nullopt;
  chart.subtitle = fmt::format("each way to record that was measured; the stream alone scores {:.1f}", alone);
  chart.least_stream_score = alone - plan.stream_gives;
  return chart;
}

void Draw(const std::filesystem::path& folder, const TradeChart& chart) {
  std::ostringstream script, open, taken, refused, frontier;
  double left = chart.least_stream_score, right = left, bottom = 100, top = 0;
  std::vector<TradePlace> possible;
  for (const TradePlace& point : chart.points) {
    (point.taken     ? taken
     : point.refused ? refused
                     : open)
        << point.stream_score << ' ' << point.recording_score << '\n';
    if (!point.refused) possible.push_back(point);
    left = std::min(left, point.stream_score);
    right = std::max(right, point.stream_score);
    bottom = std::min(bottom, point.recording_score);
    top = std::max(top, point.recording_score);
  }
  for (const TradePlace& point : Frontier(possible))
    frontier << point.stream_score << ' ' << point.recording_score << '\n';
  const double width = std::max(4.0, right - left), height = std::max(8.0, top - bottom);
  int label = 1;
  for (const TradePlace& point : chart.points) {
    // Names of points in the right half go to the left of them.
    const bool leftwards = point.stream_score > left + 0.6 * width;
    script << fmt::format("set label {} {} at {}, {} offset {},0.7 {} textcolor rgb \"{}\"\n", label++,
                          Quoted(point.name + (point.taken     ? "  (taken)"
                                               : point.refused ? "  (refused)"
                                                               : "")),
                          point.stream_score, point.recording_score, leftwards ? -1 : 1, leftwards ? "right" : "left",
                          point.taken     ? kOrange
                          : point.refused ? kGrey
                                          : kInk);
  }
  script
      << "$frontier << EOD\n"
      << frontier.str() << "EOD\n$open << EOD\n"
      << open.str() << "EOD\n$refused << EOD\n"
      << refused.str() << "EOD\n$taken << EOD\n"
      << taken.str() << "EOD\n"
      << FigureTitle(chart.title, chart.subtitle)
      << VerticalLine(900, chart.least_stream_score, kGrey, "the stream keeps at least this", 0.04)
      << fmt::format("set xrange [{}:{}]\nset yrange [{}:{}]\n", left - 0.1 * width, right + 0.25 * width,
                     bottom - 0.15 * height, top + 0.2 * height)
      << "set xlabel \"how good the stream looks, of 100\"\nset ylabel \"how good the recording looks, of 100\"\n"
         "unset key\n"
      << fmt::format(
             "plot $frontier with lines linecolor rgb \"{}\" dashtype 2, $open with points linecolor rgb \"{}\" "
             "pointtype 7 pointsize 1.4, $refused with points linecolor rgb \"{}\" pointtype 6 pointsize 1.4, $taken "
             "with points linecolor rgb \"{}\" pointtype 7 pointsize 2\n",
             kSky, kBlue, kGrey, kOrange);
  DrawFigure(folder, chart.kName, script.str());
}

KETTLE_JSON(TradePlace, name, stream_score, recording_score, taken, refused)
KETTLE_JSON(TradeChart, title, subtitle, least_stream_score, points)

}  // namespace kettle
