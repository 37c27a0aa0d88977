// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/packet_log.h"

#include <gtest/gtest.h>

namespace kettle {
namespace {

TEST(PacketLog, RatesAndLatency) {
  PacketLog log({2, 1});
  for (int i = 0; i < 4; ++i) log.FrameIn(i, i * 1'000'000);
  for (int i = 0; i < 4; ++i) log.PacketOut(i, i * 1'000'000 + 5'000'000, i == 3 ? 2500 : 500);
  EXPECT_DOUBLE_EQ(log.latency().p50_ms, 5);
  EXPECT_DOUBLE_EQ(log.latency().max_ms, 5);
  EXPECT_DOUBLE_EQ(log.mean_kbps(4), 16);        // 32 kbit in 2 s
  EXPECT_DOUBLE_EQ(log.peak_second_kbps(), 24);  // the last two packets
}

TEST(PacketLog, NothingCameOut) {
  const PacketLog log({60, 1});
  EXPECT_EQ(log.packets(), 0);
  EXPECT_DOUBLE_EQ(log.latency().max_ms, 0);
  EXPECT_DOUBLE_EQ(log.mean_kbps(0), 0);
  EXPECT_DOUBLE_EQ(log.peak_second_kbps(), 0);
}

TEST(PacketLog, TellsTheBusiestSecondAlsoWhenItIsLongPast) {
  PacketLog log({2, 1}, PacketLog::Keep::kNothing);
  for (const int bytes : {500, 2000, 2500, 500, 500, 500}) log.PacketOut(0, 0, bytes);
  EXPECT_DOUBLE_EQ(log.peak_second_kbps(), 36);
  EXPECT_FALSE(log.slow_down()) << "it was not asked to";
}

TEST(PacketLog, CountsTheLongestRunOfBFrames) {
  PacketLog log({60, 1});
  for (const int pts : {0, 4, 2, 1, 3, 5, 7, 6}) log.PacketOut(pts, 0, 100);
  EXPECT_EQ(log.longest_b_run(), 3);
}

TEST(PacketLog, FindsWhereAnEncodeSlowedDown) {
  PacketLog log({60, 1});
  std::int64_t now = 0;
  for (int i = 0; i < 100; ++i) log.PacketOut(i, now += i < 60 ? 1'000'000 : 8'000'000, 100);
  const auto slow_down = log.slow_down();
  ASSERT_TRUE(slow_down);
  EXPECT_NEAR(slow_down->frame, 59, 1);
  EXPECT_NEAR(slow_down->factor, 8, 0.2);
}

TEST(PacketLog, ASteadyEncodeThatHoldsFramesBackIsNotSlowing) {
  PacketLog log({60, 1});
  std::int64_t now = 0;
  // The last twenty come out at once at the end; every third takes twice as long.
  for (int i = 0; i < 100; ++i) log.PacketOut(i, now += i >= 80 ? 1000 : i % 3 ? 1'000'000 : 2'000'000, 100);
  EXPECT_FALSE(log.slow_down());
  EXPECT_FALSE(PacketLog({60, 1}).slow_down());
}

}  // namespace
}  // namespace kettle
