// SPDX-License-Identifier: Apache-2.0
#include "kettle/decision/next_measurement.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace kettle {
namespace {

constexpr double kLead = 40, kWorthALook = 0.1;

Rival Of(double mean, double deviation, double holds = 1, double seconds = 1) {
  return {{mean, deviation}, holds, seconds};
}

TEST(NextMeasurement, WhatMayBeBetterIsAskedBeforeWhatIsKnownToBeWorse) {
  EXPECT_EQ(NextMeasurement({Of(35, 0.5), Of(38, 6)}, kLead, kWorthALook), 1u);
  EXPECT_EQ(NextMeasurement({Of(50, 1, 0.01), Of(45, 1, 0.9)}, kLead, kWorthALook), 1u) << "it hardly holds";
}

TEST(NextMeasurement, OfTwoThatPromiseTheSameTheQuickerIsAsked) {
  EXPECT_EQ(NextMeasurement({Of(42, 3, 1, 4), Of(42, 3, 1, 1)}, kLead, kWorthALook), 1u);
}

TEST(NextMeasurement, EndsWhenNothingPromisesMoreThanAnybodySees) {
  EXPECT_EQ(NextMeasurement({Of(35, 1), Of(50, 1, 0.001)}, kLead, kWorthALook), std::nullopt);
  EXPECT_EQ(NextMeasurement({}, kLead, kWorthALook), std::nullopt);
}

TEST(Promise, IsWhatItMayGainAsFarAsItHolds) {
  EXPECT_NEAR(Promise(Of(50, 1, 0.5), kLead), 5, 0.01);
  EXPECT_LT(Promise(Of(30, 1), kLead), 1e-6);
}

}  // namespace
}  // namespace kettle
