// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/busiest_second.h"

#include "support.h"

namespace kettle {
namespace {

TEST(BusiestSecond, IsTheSecondThatTookMost) {
  BusiestSecond busiest;
  // Half a core, but for a second and a half of two cores.
  double used = 7;
  for (int tenth = 0; tenth <= 50; ++tenth) {
    busiest.At(100 + tenth * 0.1, used);
    used += tenth >= 20 && tenth < 35 ? 0.2 : 0.05;
  }
  EXPECT_NEAR(busiest.cores(), 2, 1e-6);
}

TEST(BusiestSecond, LateReadingsAreOfLongerSeconds) {
  BusiestSecond busiest;
  busiest.At(0, 0);
  busiest.At(0.9, 3);
  EXPECT_EQ(busiest.cores(), 0) << "no second has passed";
  EXPECT_FALSE(busiest.due(0.9));
  EXPECT_TRUE(busiest.due(1.5));
  busiest.At(1.5, 3);
  EXPECT_NEAR(busiest.cores(), 2, 1e-9);
  busiest.At(2.5, 4);
  EXPECT_NEAR(busiest.cores(), 2, 1e-9);
}

}  // namespace
}  // namespace kettle
