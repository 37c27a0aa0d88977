// SPDX-License-Identifier: Apache-2.0
#include "kettle/line/line.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <sstream>

#include "kettle/input/input.h"
#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"
#include "kettle/units/statistics.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace {

constexpr double kLongestSeconds = 7 * 24 * 3600;  // of a trace; it is gone through second by second

struct Row {
  int line;
  double seconds, kbps;
};

std::string Trimmed(std::string text) {
  const auto space = [](char c) { return c == ' ' || c == '\t' || c == '\r' || c == '"'; };
  while (!text.empty() && space(text.back())) text.pop_back();
  while (!text.empty() && space(text.front())) text.erase(0, 1);
  return text;
}

std::optional<double> ParseNumber(const std::string& text) {
  double number = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (error != std::errc() || end != text.data() + text.size() || !std::isfinite(number)) return std::nullopt;
  return number;
}

std::vector<Row> ReadRows(const std::filesystem::path& file) {
  std::istringstream stream(ReadInput(file));
  std::vector<Row> rows;
  std::string text;
  for (int line = 1; std::getline(stream, text); ++line) {
    text = Trimmed(text);
    if (text.empty() || text[0] == '#') continue;
    const auto comma = text.find_first_of(",;");
    const std::string rest = comma == text.npos ? "" : text.substr(comma + 1);
    const auto seconds = ParseNumber(Trimmed(text.substr(0, comma)));
    const auto kbps = ParseNumber(Trimmed(rest.substr(0, rest.find_first_of(",;"))));
    if (rows.empty() && line == 1 && !seconds) continue;  // the header
    if (!seconds || !kbps)
      FailInput("{}:{}: \"{}\" is not two numbers; write seconds,kbit/s: \"12,9400\"", file.string(), line,
                PlainText(text, 80));
    if (*seconds < 0) FailInput("{}:{}: the time {:g} is negative", file.string(), line, *seconds);
    if (*seconds > kLongestSeconds)
      FailInput("{}:{}: the time {:g} is more than a week; the first column is seconds", file.string(), line, *seconds);
    if (*kbps < 0) FailInput("{}:{}: a rate of {:g} kbit/s is negative", file.string(), line, *kbps);
    if (!rows.empty() && *seconds <= rows.back().seconds)
      FailInput("{}:{}: the time {:g} does not come after {:g} on line {}; sort the rows by time", file.string(), line,
                *seconds, rows.back().seconds, rows.back().line);
    rows.push_back({line, *seconds, *kbps});
  }
  if (rows.size() < 2) FailInput("{}: a trace needs two rows at least: seconds,kbit/s", file.string());
  return rows;
}

void CheckUnit(const std::filesystem::path& file, const std::vector<Row>& rows) {
  double highest = 0;
  for (const Row& row : rows) highest = std::max(highest, row.kbps);
  if (highest == 0) FailInput("{}: the uplink never carried anything", file.string());
  if (highest < 100)
    FailInput(
        "{}: its highest rate is {:g} kbit/s, too little for any stream; the second column is kbit/s: "
        "11.8 Mbit/s is 11800, 1.4 MB/s is 11200",
        file.string(), highest);
  if (highest > 20e6)
    FailInput("{}: its highest rate is {:g} kbit/s, more than 20 Gbit/s; the second column is kbit/s, not bit/s",
              file.string(), highest);
}

}  // namespace

LinkKind ParseLink(const std::string& text) {
  for (const LinkKind kind : {LinkKind::kWired, LinkKind::kWireless, LinkKind::kCellular})
    if (text == Name(kind)) return kind;
  FailInput("\"{}\" is not known{}", text, Suggestion(text, {"wired", "wireless", "cellular"}));
}

const char* Name(LinkKind kind) {
  switch (kind) {
    case LinkKind::kWired: return "wired";
    case LinkKind::kWireless: return "wireless";
    case LinkKind::kCellular: return "cellular";
  }
  return "";
}

std::pair<std::string, BitRate> ParseReserve(const std::string& text) {
  const auto digit = text.find_first_of("0123456789");
  if (digit == text.npos || digit == 0)
    FailInput("\"{}\" is not a reserve; write what it is for and how much: \"game 0.3 Mbit/s\"", text);
  std::string name = text.substr(0, digit);
  while (!name.empty() && name.back() == ' ') name.pop_back();
  return {name, BitRate::Parse(text.substr(digit))};
}

std::vector<Message> QuestionReadings(const std::vector<BitRate>& readings) {
  std::vector<Message> questions;
  for (const BitRate reading : readings) {
    if (reading.kbps() < 500)
      questions.push_back(
          Message{"line.reading-low",
                  {{"reading", reading.str()}, {"kbps", reading.kbps()}, {"times_eight", reading.kbps() * 8}}});
    if (reading.kbps() > 2e6) questions.push_back(Message{"line.reading-high", {{"reading", reading.str()}}});
  }
  if (!readings.empty()) {
    const auto [lowest, highest] = std::minmax_element(readings.begin(), readings.end());
    if (highest->kbps() >= 6 * lowest->kbps())
      questions.push_back(Message{"line.readings-far-apart", {{"lowest", lowest->str()}, {"highest", highest->str()}}});
  }
  return questions;
}

LineTrace LineTrace::Read(const std::filesystem::path& file) {
  const std::vector<Row> rows = ReadRows(file);
  CheckUnit(file, rows);
  std::vector<double> distances;
  for (std::size_t i = 1; i < rows.size(); ++i) distances.push_back(rows[i].seconds - rows[i - 1].seconds);
  const double usual = *Median(distances), start = rows.front().seconds;
  LineTrace trace({}, rows.back().seconds - start + usual);
  for (std::size_t i = 0; i < rows.size(); ++i) {
    trace.points_.push_back({rows[i].seconds - start, rows[i].kbps});
    if (i + 1 == rows.size() || distances[i] <= 3 * usual) continue;
    const double bridge = std::min(rows[i].kbps, rows[i + 1].kbps);
    trace.notes_.push_back(Message{"line.gap-in-trace",
                                   {{"from", rows[i].seconds + usual}, {"to", rows[i + 1].seconds}, {"kbps", bridge}}});
    trace.points_.push_back({rows[i].seconds - start + usual, bridge});
  }
  return trace;
}

std::vector<double> LineTrace::PerSecond() const {
  std::vector<double> means(static_cast<std::size_t>(std::max(1.0, std::floor(seconds_))), 0.0);
  for (std::size_t i = 0; i < points_.size(); ++i) {
    const double end = i + 1 < points_.size() ? points_[i + 1].seconds : seconds_;
    for (double at = points_[i].seconds; at < end;) {
      const double next = std::min(end, std::floor(at) + 1);
      const auto second = static_cast<std::size_t>(at);
      if (second < means.size()) means[second] += points_[i].kbps * (next - at);
      at = next;
    }
  }
  if (seconds_ < 1) means[0] /= seconds_;
  return means;
}

}  // namespace kettle
