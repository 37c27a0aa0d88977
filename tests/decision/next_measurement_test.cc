// SPDX-License-Identifier: Apache-2.0
#include "kettle/decision/next_measurement.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace kettle {
namespace {

Rival Measured(double worth, double holds = 1) {
  return {.worth = {worth, 0.5}, .holds = holds, .measured = true, .known_worth = worth};
}
Rival Unmeasured(double mean, double deviation, double holds = 1, double seconds = 1) {
  return {.worth = {mean, deviation}, .holds = holds, .seconds = seconds};
}

TEST(NextMeasurement, TheLeaderIsTheBestThatProbablyHolds) {
  EXPECT_EQ(Leader({Measured(30), Measured(40), Measured(50, 0.3)}), 1u);
  EXPECT_EQ(Leader({Unmeasured(90, 1), Measured(50, 0.3)}), std::nullopt);
}

TEST(NextMeasurement, WhatMayBeBetterIsAskedBeforeWhatIsKnownToBeWorse) {
  EXPECT_EQ(NextMeasurement({Measured(40), Unmeasured(35, 0.5), Unmeasured(38, 6)}, 0.1), 2u);
  EXPECT_EQ(NextMeasurement({Measured(40), Unmeasured(50, 1, 0.01), Unmeasured(45, 1, 0.9)}, 0.1), 2u)
      << "it hardly holds";
}

TEST(NextMeasurement, OfTwoThatPromiseTheSameTheQuickerIsAsked) {
  EXPECT_EQ(NextMeasurement({Measured(40), Unmeasured(42, 3, 1, 4), Unmeasured(42, 3, 1, 1)}, 0.1), 2u);
}

TEST(NextMeasurement, EndsWhenNothingPromisesMoreThanAnybodySees) {
  EXPECT_EQ(NextMeasurement({Measured(40), Unmeasured(35, 1), Unmeasured(50, 1, 0.001)}, 0.1), std::nullopt);
  EXPECT_EQ(NextMeasurement({Measured(40)}, 0.1), std::nullopt);
}

TEST(NextMeasurement, WithoutALeaderAnythingThatHoldsIsWorthALook) {
  EXPECT_EQ(NextMeasurement({Measured(50, 0), Unmeasured(-20, 5)}, 0.1), 1u);
}

}  // namespace
}  // namespace kettle
