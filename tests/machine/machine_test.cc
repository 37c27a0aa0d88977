// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/machine.h"

#include <unistd.h>

#include "kettle/machine/cpu_time.h"
#include "support.h"

namespace kettle {
namespace {

using MachineTest = test::FolderTest;

TEST_F(MachineTest, ReadsARecordedTree) {
  Put("proc/cpuinfo", "processor\t: 0\nmodel name\t: Brackish Core 4\n");
  Put("proc/meminfo", "MemTotal:       16000000 kB\n");
  Put("sys/class/drm/card0-DP-1/status", "disconnected\n");
  Put("sys/class/drm/card0-DP-1/modes", "");
  Put("sys/class/drm/card0-HDMI-A-1/status", "connected\n");
  Put("sys/class/drm/card0-HDMI-A-1/modes", "2560x1440\n1920x1080\n");
  const Machine machine = ReadMachine(path(""));
  EXPECT_EQ(machine.processor.model, "Brackish Core 4");
  EXPECT_EQ(machine.memory_bytes, 16'000'000LL * 1024);
  EXPECT_THAT(machine.displays, testing::ElementsAre("card0-HDMI-A-1 2560x1440"));
  EXPECT_EQ(DisplaySize(path("")), (FrameSize{2560, 1440}));
}

TEST_F(MachineTest, AnEmptyTreeIsNoError) {
  const Machine machine = ReadMachine(path(""));
  EXPECT_TRUE(machine.processor.model.empty());
  EXPECT_TRUE(machine.displays.empty());
  EXPECT_EQ(DisplaySize(path("")), std::nullopt);
  EXPECT_EQ(ReadCpuTime(path("")).busy_seconds, 0);
}

TEST_F(MachineTest, TheDigestFollowsTheMachine) {
  Machine machine = ReadMachine(path(""));
  const std::string before = Digest(machine);
  EXPECT_EQ(Digest(machine), before);
  machine.libraries.push_back("libnew 1.2.3");
  EXPECT_NE(Digest(machine), before);
}

TEST_F(MachineTest, FreeSpaceOfAFolderThatIsNotThereYet) { EXPECT_GT(ReadDisk(path("not/yet")).free_bytes, 0); }

TEST_F(MachineTest, ProcessesAreFoundByName) {
  // proc(5): pid (comm) state ppid pgrp session tty tpgid flags minflt cminflt majflt cmajflt utime stime
  Put("proc/41/stat", "41 (kettle-gpu) S 1 41 41 0 -1 0 9 0 0 0 250 50 0 0\n");
  Put("proc/42/stat", "42 (other (x)) S 1 41 41 0 -1 0 9 0 0 0 900 50 0 0\n");
  Put("proc/self/stat", "41 (kettle-gpu) S 1 41 41 0 -1 0 9 0 0 0 250 50 0 0\n");
  const auto found = ProcessCpuSeconds("kettle-gpu", path(""));
  ASSERT_EQ(found.size(), 1u);
  EXPECT_NEAR(found.at(41), 300.0 / static_cast<double>(sysconf(_SC_CLK_TCK)), 1e-9);
}

// A device that left between two readings once hid what its successor used.
TEST(UsedBetween, CountsSuccessorsWhole) {
  EXPECT_DOUBLE_EQ(UsedBetween({{1, 5.0}}, {{2, 3.0}}), 3.0);
  EXPECT_DOUBLE_EQ(UsedBetween({{1, 5.0}}, {{1, 6.5}}), 1.5);
  EXPECT_DOUBLE_EQ(UsedBetween({{1, 5.0}}, {}), 0);
}

TEST_F(MachineTest, BusyAndStolenTimeAreApart) {
  Put("proc/stat", "cpu  100 10 50 1000 30 5 5 40 0 0\ncpu0 1 1 1\n");
  const double tick = 1.0 / static_cast<double>(sysconf(_SC_CLK_TCK));
  const CpuTime time = ReadCpuTime(path(""));
  EXPECT_NEAR(time.busy_seconds, 170 * tick, 1e-9);
  EXPECT_NEAR(time.steal_seconds, 40 * tick, 1e-9);
}

}  // namespace
}  // namespace kettle
