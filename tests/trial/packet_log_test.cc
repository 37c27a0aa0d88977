// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/packet_log.h"

#include <gtest/gtest.h>

namespace kettle {
namespace {

TEST(PacketLog, RatesAndLatency) {
  PacketLog log;
  for (int i = 0; i < 4; ++i) log.FrameIn(i, i * 1'000'000);
  for (int i = 0; i < 4; ++i) log.PacketOut(i, i * 1'000'000 + 5'000'000, i == 3 ? 2500 : 500);
  EXPECT_DOUBLE_EQ(log.latency().p50_ms, 5);
  EXPECT_DOUBLE_EQ(log.latency().max_ms, 5);
  EXPECT_DOUBLE_EQ(log.mean_kbps(4, {2, 1}), 16);      // 32 kbit in 2 s
  EXPECT_DOUBLE_EQ(log.peak_second_kbps({2, 1}), 24);  // the last two packets
}

TEST(PacketLog, NothingCameOut) {
  const PacketLog log;
  EXPECT_EQ(log.packets(), 0);
  EXPECT_DOUBLE_EQ(log.latency().max_ms, 0);
  EXPECT_DOUBLE_EQ(log.mean_kbps(0, {60, 1}), 0);
  EXPECT_DOUBLE_EQ(log.peak_second_kbps({60, 1}), 0);
}

TEST(PacketLog, CountsTheLongestRunOfBFrames) {
  PacketLog log;
  for (const int pts : {0, 4, 2, 1, 3, 5, 7, 6}) log.PacketOut(pts, 0, 100);
  EXPECT_EQ(log.longest_b_run(), 3);
}

}  // namespace
}  // namespace kettle
