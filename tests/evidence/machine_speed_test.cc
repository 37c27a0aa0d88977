// SPDX-License-Identifier: Apache-2.0
#include "kettle/evidence/machine_speed.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace kettle {
namespace {

TEST(MachineSpeed, IsTheUsualOneUntilSomethingIsSeen) {
  const MachineSpeed speed;
  EXPECT_EQ(speed.LogSlowness(10).mean, 0);
  EXPECT_GT(speed.LogSlowness(10).deviation, 0.1);
}

// A host that takes 1.4 times as long for two minutes in the middle; each look is off by 6 %.
TEST(MachineSpeed, FollowsAHostThatIsSlowForAWhile) {
  std::mt19937 random(1);
  std::normal_distribution<double> off(0, 0.06);
  MachineSpeed speed;
  const auto truly = [](double seconds) { return seconds > 120 && seconds < 240 ? 1.4 : 1.0; };
  for (double seconds = 0; seconds < 360; seconds += 5) speed.Observe(seconds, truly(seconds) * std::exp(off(random)));
  for (const double seconds : {60.0, 180.0, 300.0}) {
    EXPECT_NEAR(speed.LogSlowness(seconds).mean, std::log(truly(seconds)), 0.08) << seconds;
    EXPECT_LT(speed.LogSlowness(seconds).deviation, 0.05);
  }
}

TEST(MachineSpeed, IsForgottenInTime) {
  MachineSpeed speed;
  for (double seconds = 0; seconds < 30; seconds += 5) speed.Observe(seconds, 1.4);
  EXPECT_GT(speed.LogSlowness(40).mean, 0.25);
  EXPECT_LT(speed.LogSlowness(40).deviation, speed.LogSlowness(300).deviation);
  EXPECT_LT(speed.LogSlowness(1500).mean, 0.01);
}

TEST(MachineSpeed, LooksMayComeInAnyOrder) {
  MachineSpeed one, other;
  one.Observe(0, 1);
  one.Observe(100, 1.3);
  other.Observe(100, 1.3);
  other.Observe(0, 1);
  EXPECT_NEAR(one.LogSlowness(50).mean, other.LogSlowness(50).mean, 1e-12);
}

}  // namespace
}  // namespace kettle
