// SPDX-License-Identifier: Apache-2.0
#include "tables/trade_table.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "figure/trade_figure.h"
#include "report/looks.h"
#include "report/sentence.h"
#include "terminal.h"

namespace kettle::app {

namespace {

// "1.31", or with an encode on the GPU "0.40 + 35 % GPU".
std::string CoresOf(const TradePoint& point) {
  return fmt::format("{:.2f}", point.cpu_cores) +
         (point.engine_share > 0 ? fmt::format(" + {:.0f} % GPU", point.engine_share * 100) : "");
}

// What to write into the show to get it.
std::string LineFor(const TradePoint& point) {
  if (point.one_encode) return "size = \"stream\"";
  return fmt::format("size = \"{}\", frame_rate = \"{}\", encoder = \"{}\"", point.size.str(), point.rate.str(),
                     point.recording.substr(0, point.recording.find(' ')));
}

// Why each way was taken or not, ways of one reason in one line, and how to get those that were measured.
void PrintTradeReasons(const std::vector<TradePoint>& trade) {
  for (const TradePoint& point : trade)
    if (point.taken) fmt::print("  taken: {}: {}\n", WayOf(point), Sentence(point.why));
  std::vector<std::pair<std::string, std::vector<std::string>>> not_taken;  // ways by reason, in the table's order
  for (const TradePoint& point : trade) {
    if (point.taken) continue;
    const std::string why = Sentence(point.why);
    if (!point.recording.empty()) {
      fmt::print("  instead: {}: {}; [recording] {}\n", WayOf(point), why, LineFor(point));
    } else {
      auto same =
          std::find_if(not_taken.begin(), not_taken.end(), [&](const auto& known) { return known.first == why; });
      if (same == not_taken.end()) same = not_taken.insert(not_taken.end(), {why, {}});
      same->second.push_back(WayOf(point));
    }
  }
  for (const auto& [why, ways] : not_taken) fmt::print("  ruled out: {}: {}\n", fmt::join(ways, ", "), why);
  fmt::print("\n");
}

}  // namespace

void PrintTrade(const std::vector<TradePoint>& trade, double cpu_cores) {
  if (trade.empty()) return;
  fmt::print("{}\n", Paint("Ways to record beside the stream", Tone::kStrong));
  Table table({{"recording"},
               {"encoder"},
               Number("GB/hour"),
               Number("score"),
               {"stream"},
               Number("score"),
               Number("cores"),
               Number("game keeps"),
               {""}});
  const auto points = [](const std::optional<double>& score) { return score ? Points(*score) : "-"; };
  for (const TradePoint& point : trade) {
    const bool told = !point.stream.empty();
    const Tone tone = point.taken ? Tone::kGood : told ? Tone::kPlain : Tone::kDim;
    const auto number = [&](const std::string& text) { return Number(text, tone); };
    table.Row({{WayOf(point), tone},
               {told ? point.recording : "-", tone},
               number(point.recording_score ? fmt::format("{:.1f}", point.gigabytes_an_hour) : "-"),
               number(points(point.recording_score)),
               {point.stream_size
                    ? fmt::format("{}, {} at {}", point.stream, point.stream_size->str(), point.stream_rate->str())
                    : "-",
                tone},
               number(points(point.stream_score)),
               number(told ? CoresOf(point) : "-"),
               number(told ? fmt::format("{:.2f} cores", std::max(0.0, cpu_cores - point.cpu_cores)) : "-"),
               {point.taken ? "taken" : "", tone}});
  }
  fmt::print("{}", table.str());
  PrintTradeReasons(trade);
}

}  // namespace kettle::app
