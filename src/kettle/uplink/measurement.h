// SPDX-License-Identifier: Apache-2.0
// Measures a line by publishing a real stream over it.
#pragma once

#include <cstdint>
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/line/line.h"
#include "kettle/rtmp/url.h"
#include "kettle/uplink/test_stream.h"

namespace kettle {

struct IngestReport {
  std::string url;
  std::string trouble;                  // empty: measured to the end
  bool simulated = false;               // the ingest is a stand-in, and its line too
  double connect_ms = 0, start_ms = 0;  // until connected; until the ingest took the publish
  double answer_ms = 0;                 // the ingest's quickest answer to a command
  // Round trips by the kernel's account (SRT: by libsrt's), before the line was filled; jitter: mean change from one
  // sample to the next.
  double round_trip_ms = 0, jitter_ms = 0;
  double loaded_round_trip_ms = 0;  // while it was full: the line's own queue
  std::int64_t pictures = 0;        // that were sent whole, from the first on
  double seconds = 0;               // for which it was full
  std::vector<double> kbps;         // acknowledged in each of those seconds
  double sustained_kbps = 0;        // of payload, over all of them
  double line_kbps = 0;             // with the headers below
  double most_kbps = 0;             // that the measurement was allowed to send
  bool filled = true;               // false: the line carries more than was sent
  int dips = 0;                     // seconds below 80 % of the median
  double resent_share = 0;          // of the packets

  bool measured() const { return kbps.size() >= 2; }
  LineTrace Trace() const;  // needs measured()
  // What a stream can rely on: the 5th percentile of the seconds.
  double dependable_kbps() const;
};

// A picture of the test stream is no larger than those of real encodes: servers refuse messages of a megabyte.
inline constexpr double kMostTestKbps = 200'000;

struct MeasureRequest {
  IngestUrl url;
  StreamKey key;
  double seconds = 20;
  double most_kbps = 10'000;  // no more is sent in any second, headers included; at most kMostTestKbps
  double patience_seconds = 5;
};

// Publishes and watches. `progress` gets 0..1 and may throw to stop. Never throws for a connection that fails: that is
// in the report.
IngestReport MeasureIngest(const MeasureRequest& request, const TestStream& stream,
                           const std::function<void(double)>& progress);

// Best first: by what a stream can rely on; where that is within 3 %, fewer dips, then the shorter round trip with its
// jitter. Those that could not be measured last.
void RankIngests(std::vector<IngestReport>& reports);

void to_json(nlohmann::json& json, const IngestReport& report);
void from_json(const nlohmann::json& json, IngestReport& report);

}  // namespace kettle
