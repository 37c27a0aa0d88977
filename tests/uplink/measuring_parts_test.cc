// SPDX-License-Identifier: Apache-2.0
// What measuring a line is made of, without a publish: how fast to send, which ingest is best.
#include <cmath>

#include "kettle/publish/send_rate.h"
#include "kettle/uplink/measurement.h"
#include "support.h"

namespace kettle {
namespace {

TEST(SendRate, GrowsUntilPacketsWaitThenKeepsSomeWaiting) {
  SendRate rate;
  SendRate::Seen seen;
  // A tenth of a second in which so much came through, over a round trip of 20 ms and what waits.
  const auto tenth = [&](double kbps, double queue_seconds, std::int64_t lost = 0, bool used = true) {
    seen.seconds += 0.1001;
    seen.round_trip_seconds = 0.02 + queue_seconds;
    seen.acknowledged_bytes += std::llround(kbps * 12.5);
    seen.sent += 100;
    seen.lost += lost;
    seen.used = used;
    rate.Watch(seen);
  };
  const double first = rate.kbps();
  for (int i = 0; i < 10; ++i) tenth(first, 0, 0, false);
  EXPECT_EQ(rate.kbps(), first) << "what was not needed says nothing of the line";
  for (int i = 0; i < 10; ++i) tenth(rate.kbps(), 0);
  EXPECT_GT(rate.kbps(), 8 * first);
  const double steep = rate.kbps();
  for (int i = 0; i < 6; ++i) tenth(15'000, 0.05);
  EXPECT_LT(rate.kbps(), steep * 1.1) << "some wait: hardly more";
  tenth(15'000, 0.15);
  EXPECT_NEAR(rate.kbps(), 15'000 * 0.97, 200) << "many wait: a little below what came through";
  const double full = rate.kbps();
  for (int i = 0; i < 4; ++i) tenth(15'000, 0.15);
  EXPECT_EQ(rate.kbps(), full) << "these were on their way already";
  tenth(15'000, 0.01);
  tenth(15'000, 0.01);
  EXPECT_GT(rate.kbps(), full) << "up again, slowly";
  EXPECT_LT(rate.kbps(), full * 1.1);
  const double before = rate.kbps();
  tenth(0, 0.01, 100);
  EXPECT_LT(rate.kbps(), before * 0.9) << "by what was lost; acknowledgements wait for it";
  EXPECT_GE(rate.kbps(), before * 0.48);
}

TEST(RankIngests, GoesByWhatAStreamNeeds) {
  const auto report = [](const std::string& url, double kbps, double round_trip) {
    IngestReport r{.url = url};
    r.kbps = std::vector<double>(10, kbps);
    r.seconds = 10;
    r.round_trip_ms = round_trip;
    return r;
  };
  IngestReport broken{.url = "broken", .trouble = "no connection"};
  IngestReport dipping = report("dipping", 9000, 1);
  for (int i = 0; i < 3; ++i) dipping.kbps[static_cast<std::size_t>(i)] = 1000;
  std::vector<IngestReport> reports = {broken, dipping, report("near", 8000, 5), report("far", 8050, 50)};
  RankIngests(reports);
  EXPECT_EQ(reports[0].url, "near") << "as fast as the far one within 3 %, and nearer";
  EXPECT_EQ(reports[1].url, "far");
  EXPECT_EQ(reports[2].url, "dipping");
  EXPECT_EQ(reports[3].url, "broken");
}

}  // namespace
}  // namespace kettle
