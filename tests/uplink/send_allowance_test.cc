// SPDX-License-Identifier: Apache-2.0
#include "kettle/uplink/send_allowance.h"

#include <gtest/gtest.h>

#include <deque>
#include <random>
#include <utility>

namespace kettle {
namespace {

// A measurement that was asked for 20 Mbit/s once sent 150: a quarter of a second was refilled with every picture.
TEST(SendAllowance, NoSecondTakesMoreThanAsked) {
  constexpr double kKbps = 20'000, kBytesASecond = kKbps * 125;
  std::mt19937 random(7);
  for (const bool steady : {true, false}) {
    SendAllowance allowance(kKbps);
    std::deque<std::pair<double, double>> sent;  // of the last second
    double now = 0, in_second = 0, all = 0;
    while (now < 30) {
      const auto bytes = static_cast<double>(allowance.Bytes(now));
      allowance.Spend(static_cast<std::size_t>(bytes));
      sent.emplace_back(now, bytes);
      in_second += bytes;
      all += bytes;
      while (sent.front().first <= now - 1) {
        in_second -= sent.front().second;
        sent.pop_front();
      }
      ASSERT_LE(in_second, kBytesASecond + 1) << now;
      // Now and then whoever sends is held up for long: it may not catch up.
      now += steady ? 0.002 : std::exponential_distribution<>(random() % 50 == 0 ? 1 : 200)(random);
    }
    if (steady) {
      EXPECT_GT(all, 0.97 * 30 * kBytesASecond) << "nearly all of it is used";
    }
  }
}

}  // namespace
}  // namespace kettle
