// SPDX-License-Identifier: Apache-2.0
// What an uplink was seen to carry: single readings, or a trace over time.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "kettle/message/message.h"
#include "kettle/units/units.h"

namespace kettle {

enum class LinkKind { kWired, kWireless, kCellular };
LinkKind ParseLink(const std::string& text);  // throws Error(kInput)
const char* Name(LinkKind kind);

// "game 0.3 Mbit/s": what else needs the line, and how much. Throws Error(kInput).
std::pair<std::string, BitRate> ParseReserve(const std::string& text);

// Questions about readings that can hardly be meant: units taken for one another.
std::vector<Message> QuestionReadings(const std::vector<BitRate>& readings);

// A line's rate over time: each point holds until the next one.
class LineTrace {
 public:
  struct Point {
    double seconds, kbps;
  };
  // `points` in order of time, the first at 0; the last one holds until `seconds`.
  LineTrace(std::vector<Point> points, double seconds) : points_(std::move(points)), seconds_(seconds) {}

  // A CSV file: seconds and kbit/s in its first two columns, a header line allowed. Times may start anywhere. A gap of
  // more than three times the usual distance is bridged with the lower rate of its two sides, and noted. Throws
  // Error(kInput) with file and line for negative, unsorted, missing or implausible numbers.
  static LineTrace Read(const std::filesystem::path& file);
  // One that never changes.
  static LineTrace Steady(double kbps, double seconds) { return LineTrace({{0, kbps}}, seconds); }

  const std::vector<Point>& points() const { return points_; }
  double seconds() const { return seconds_; }
  const std::vector<Message>& notes() const { return notes_; }

  // kbit/s in each whole second: the mean over it.
  std::vector<double> PerSecond() const;

 private:
  std::vector<Point> points_;
  double seconds_;
  std::vector<Message> notes_;
};

}  // namespace kettle
