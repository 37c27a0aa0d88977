// SPDX-License-Identifier: Apache-2.0
#include "kettle/evidence/machine_speed.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <random>

namespace kettle {
namespace {

TEST(MachineSpeed, IsTheUsualOneUntilSomethingIsSeen) {
  const MachineSpeed speed;
  EXPECT_EQ(speed.LogSlowness(10).mean, 0);
  EXPECT_GT(speed.LogSlowness(10).deviation, 0.1);
  EXPECT_EQ(speed.usual(), 0);
}

// Looks of 0.1 s, each off by 6 %, two for each of the trials that stand between them.
MachineSpeed Watched(const std::function<double(double)>& truly, double seconds, unsigned seed) {
  std::mt19937 random(seed);
  std::normal_distribution<double> off(0, 0.06);
  MachineSpeed speed;
  for (double at = 0; at < seconds; at += 3)
    for (const double look : {at, at + 2}) speed.Observe(look, 0.1 * truly(look) * std::exp(off(random)));
  return speed;
}

TEST(MachineSpeed, FollowsAHostThatIsSlowForAWhile) {
  const auto truly = [](double seconds) { return seconds > 150 && seconds < 240 ? 1.4 : 1.0; };
  const MachineSpeed speed = Watched(truly, 360, 1);
  for (const double seconds : {61.0, 181.0, 301.0}) {
    EXPECT_NEAR(speed.LogSlowness(seconds).mean, std::log(truly(seconds)), 0.08) << seconds;
    EXPECT_LT(speed.LogSlowness(seconds).deviation, 0.1);
  }
}

// As where another program runs for 20 s, or the worker is held up for half of the time.
TEST(MachineSpeed, FollowsABurstFromItsFirstTrialToItsLast) {
  for (unsigned seed = 1; seed <= 20; ++seed)
    for (const double times : {1.4, 2.0}) {
      const auto truly = [&](double seconds) { return seconds > 29.5 && seconds < 50.5 ? times : 1.0; };
      const MachineSpeed speed = Watched(truly, 90, seed);
      for (double trial = 1; trial < 90; trial += 3)
        EXPECT_NEAR(speed.LogSlowness(trial).mean, std::log(truly(trial)), 0.2) << trial << " s, seed " << seed;
    }
}

TEST(MachineSpeed, IsForgottenInTime) {
  MachineSpeed speed;
  for (double seconds = 0; seconds < 100; seconds += 1) speed.Observe(seconds, 0.1);
  for (double seconds = 100; seconds < 130; seconds += 5) speed.Observe(seconds, 0.14);
  EXPECT_GT(speed.LogSlowness(135).mean, 0.2);
  EXPECT_LT(speed.LogSlowness(135).deviation, speed.LogSlowness(400).deviation);
  EXPECT_LT(speed.LogSlowness(1800).mean, 0.01);
}

TEST(MachineSpeed, TheUsualIsThatOfNow) {
  MachineSpeed speed(1000);
  for (double seconds = 0; seconds < 100; seconds += 5) speed.Observe(seconds, 0.1);
  EXPECT_DOUBLE_EQ(speed.usual(), 0.1) << "nothing of now is known";
  speed.Observe(1000, 0.15);
  EXPECT_DOUBLE_EQ(speed.usual(), 0.15);
  EXPECT_LT(speed.LogSlowness(50).mean, -0.3) << "it was faster then";
}

// A plan that began while a browser updated itself is for the machine without it.
TEST(MachineSpeed, TheUsualIsThatOfTheFasterMoments) {
  const auto truly = [](double seconds) { return seconds < 50 ? 2.0 : 1.0; };
  for (unsigned seed = 1; seed <= 20; ++seed) EXPECT_NEAR(Watched(truly, 80, seed).usual(), 0.1, 0.01) << seed;
}

TEST(MachineSpeed, LooksMayComeInAnyOrder) {
  MachineSpeed one, other;
  one.Observe(0, 0.1);
  one.Observe(100, 0.13);
  other.Observe(100, 0.13);
  other.Observe(0, 0.1);
  EXPECT_NEAR(one.LogSlowness(50).mean, other.LogSlowness(50).mean, 1e-12);
}

}  // namespace
}  // namespace kettle
