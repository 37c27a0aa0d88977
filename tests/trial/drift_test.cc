// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/drift.h"

#include "says.h"
#include "support.h"

namespace kettle {
namespace {

using testing::HasSubstr;

std::vector<SoakWindow> Windows(double first, double last, int count = 16) {
  std::vector<SoakWindow> windows;
  for (int i = 0; i < count; ++i)
    windows.push_back({i * 10.0, i < count / 2 ? first + i % 2 * 0.2 : last + i % 2 * 0.2, 0, 0, 0});
  return windows;
}

Drift Measure(const std::vector<SoakWindow>& windows) { return MeasureDrift(windows, {60, 1}, 0.2); }

TEST(Drift, SteadyWithinItsOwnSpread) {
  const Drift drift = Measure(Windows(100, 99.5));
  EXPECT_EQ(drift.verdict, Drift::Verdict::kSteady);
  EXPECT_NEAR(drift.change, -0.005, 0.001);
  EXPECT_THAT(DriftMessage(drift, 0.2), test::Says("does not slow down"));
}

TEST(Drift, SlowsButKeepsItsHeadroom) {
  auto windows = Windows(120, 100);
  windows[9].throttle_events = 12;
  const Drift drift = Measure(windows);
  EXPECT_EQ(drift.verdict, Drift::Verdict::kSlows);
  EXPECT_NEAR(drift.last_headroom, 0.4, 0.01);
  EXPECT_THAT(DriftMessage(drift, 0.2), test::Says("throttled 12 times: heat"));
}

TEST(Drift, OverloadsWhenTheHeadroomIsGone) {
  const Drift drift = Measure(Windows(100, 70));
  EXPECT_EQ(drift.verdict, Drift::Verdict::kOverloads);
  EXPECT_THAT(DriftMessage(drift, 0.2), test::Says("does not hold"));
}

TEST(Drift, NeighboursOrNoiseLeaveItOpen) {
  auto windows = Windows(120, 100);
  for (std::size_t i = 8; i < 16; ++i) windows[i].stolen_cores = 0.5;
  EXPECT_EQ(Measure(windows).verdict, Drift::Verdict::kUnclear);
  windows = Windows(110, 108);
  windows[1].fps = 180;
  windows[14].fps = 90;
  EXPECT_EQ(Measure(windows).verdict, Drift::Verdict::kUnclear);
  // Noise that leaves no room for slowing is no reason for doubt.
  windows = Windows(100, 140);
  windows[1].fps = 110;
  EXPECT_EQ(Measure(windows).verdict, Drift::Verdict::kSteady);
}

TEST(Drift, TooFewWindowsTellNothing) {
  EXPECT_THAT(test::Complaint(Fault::kInput, [] { Measure(Windows(100, 100, 7)); }), HasSubstr("eight windows"));
}

}  // namespace
}  // namespace kettle
