// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/conditions.h"

#include <unistd.h>

#include "kettle/machine/advice.h"
#include "machine/made_up.h"
#include "says.h"
#include "support.h"

namespace kettle {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

class ConditionsTest : public test::FolderTest {
 protected:
  const double tick_ = 1.0 / static_cast<double>(sysconf(_SC_CLK_TCK));
  // proc(5): pid (comm) state ppid pgrp session tty tpgid flags minflt cminflt majflt cmajflt utime stime
  void PutProcess(int id, const std::string& name, int user_ticks) const {
    Put("proc/" + std::to_string(id) + "/stat",
        std::to_string(id) + " (" + name + ") S 1 41 41 0 -1 0 9 0 0 0 " + std::to_string(user_ticks) + " 50 0 0\n");
  }
};

TEST_F(ConditionsTest, ProcessesAreFoundByName) {
  PutProcess(41, "kettle-gpu", 250);
  PutProcess(42, "other (x)", 900);
  Put("proc/self/stat", "41 (kettle-gpu) S 1 41 41 0 -1 0 9 0 0 0 250 50 0 0\n");
  const auto found = ProcessCpuSeconds("kettle-gpu", path(""));
  ASSERT_EQ(found.size(), 1u);
  EXPECT_NEAR(found.at(41), 300 * tick_, 1e-9);
  EXPECT_EQ(ReadProcessTimes(path("")).at(42).name, "other (x)");
}

// A device that left between two readings once hid what its successor used.
TEST(UsedBetween, CountsSuccessorsWhole) {
  EXPECT_DOUBLE_EQ(UsedBetween({{1, 5.0}}, {{2, 3.0}}), 3.0);
  EXPECT_DOUBLE_EQ(UsedBetween({{1, 5.0}}, {{1, 6.5}}), 1.5);
  EXPECT_DOUBLE_EQ(UsedBetween({{1, 5.0}}, {}), 0);
}

TEST_F(ConditionsTest, PowerSourceAndGovernorAreTold) {
  EXPECT_EQ(PowerWords(path("")), "");
  Put("sys/devices/system/cpu/cpu0/cpufreq/scaling_governor", "powersave\n");
  EXPECT_EQ(PowerWords(path("")), "powersave");
  Put("sys/class/power_supply/BAT0/type", "Battery\n");
  Put("sys/class/power_supply/BAT0/status", "Discharging\n");
  Put("sys/class/power_supply/AC/type", "Mains\n");
  Put("sys/class/power_supply/AC/online", "0\n");
  EXPECT_EQ(PowerWords(path("")), "on battery, powersave");
  Put("sys/class/power_supply/AC/online", "1\n");
  EXPECT_EQ(PowerWords(path("")), "on mains, powersave");
}

TEST_F(ConditionsTest, BusyAndStolenTimeAreApart) {
  Put("proc/stat", "cpu  100 10 50 1000 30 5 5 40 0 0\ncpu0 1 1 1\n");
  const CpuTime time = ReadCpuTime(path(""));
  EXPECT_NEAR(time.busy_seconds, 170 * tick_, 1e-9);
  EXPECT_NEAR(time.steal_seconds, 40 * tick_, 1e-9);
}

TEST_F(ConditionsTest, OtherProgramsAreNamedAndOurOwnAreNot) {
  PutProcess(1, "wake", 100);
  PutProcess(2, "kettle-engine", 100);
  const ConditionSample before = SampleConditions(path(""));
  PutProcess(1, "wake", 100 + static_cast<int>(0.5 / tick_));
  PutProcess(2, "kettle-engine", 100 + static_cast<int>(0.9 / tick_));
  PutProcess(3, "quiet", 1);
  const Conditions conditions = ReadConditions(before, SampleConditions(path("")), 1.0, {"kettle-engine"}, path(""));
  ASSERT_EQ(conditions.busy.size(), 2u) << "one that has just started counts whole";
  EXPECT_EQ(conditions.busy[0].name, "quiet");
  EXPECT_EQ(conditions.busy[1].name, "wake");
  EXPECT_NEAR(conditions.busy[1].cores, 0.5, 0.01);
  EXPECT_THAT(ConditionAdvice(conditions), testing::Contains(test::Says("wake is using 0.5 cores")));
}

TEST_F(ConditionsTest, ALaptopOnBatteryInPowersaveThatGetsHot) {
  const test::Tree tree(path("laptop"));
  test::MakeLaptop(tree);
  const ConditionSample before = SampleConditions(tree.root());
  EXPECT_EQ(before.throttle_events, 7);
  tree.Put("sys/devices/system/cpu/cpu0/thermal_throttle/core_throttle_count", "10");
  const Conditions conditions = ReadConditions(before, SampleConditions(tree.root()), 1.0, {}, tree.root());
  EXPECT_EQ(conditions.throttle_events, 3);
  EXPECT_EQ(conditions.on_battery, true);
  EXPECT_THAT(conditions.governors, ElementsAre("powersave"));
  EXPECT_THAT(ConditionAdvice(conditions),
              ElementsAre(test::Says("powersave"), test::Says("battery"), test::Says("throttled 3 times")));
}

TEST_F(ConditionsTest, ADesktopHasNoBatteryButMayLackMemory) {
  const test::Tree tree(path("desktop"));
  test::MakeSmallDesktop(tree);
  const Conditions conditions =
      ReadConditions(SampleConditions(tree.root()), SampleConditions(tree.root()), 1.0, {}, tree.root());
  EXPECT_FALSE(conditions.on_battery.has_value());
  EXPECT_THAT(ConditionAdvice(conditions), ElementsAre(test::Says("0.0 of 8.0 GiB")));
}

}  // namespace
}  // namespace kettle
