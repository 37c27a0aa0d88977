// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/disk.h"

#include "kettle/machine/advice.h"
#include "machine/made_up.h"
#include "says.h"
#include "support.h"

namespace kettle {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

class DiskTest : public test::FolderTest {};

TEST_F(DiskTest, FreeSpaceOfAFolderThatIsNotThereYet) { EXPECT_GT(ReadDisk(path("not/yet")).free_bytes, 0); }

TEST_F(DiskTest, FindsTheDiskBehindAPartition) {
  const test::Tree tree(path("tree"));
  test::MakeSmallDesktop(tree);
  const Disk disk = ReadDisk(path(""), tree.root());
  EXPECT_EQ(disk.file_system, "ext4");
  EXPECT_EQ(disk.device, "sda");
  EXPECT_EQ(disk.rotating, true);
}

TEST_F(DiskTest, TheLongestMountPointWins) {
  Put("tree/proc/self/mountinfo", "21 1 8:1 / / rw - ext4 /dev/sda1 rw\n22 21 0:40 / " +
                                      path("").parent_path().string() +
                                      " rw - tmpfs tmpfs rw\n23 21 8:2 / /nowhere rw - xfs /dev/sdb1 rw\n");
  const Disk disk = ReadDisk(path(""), path("tree"));
  EXPECT_EQ(disk.file_system, "tmpfs");
  EXPECT_FALSE(disk.rotating.has_value()) << "not known is not no";
}

// mountinfo writes the space in "My Videos" as \\040: such a disk was taken for the one that holds /.
TEST_F(DiskTest, AMountPointMayHaveSpaces) {
  const std::filesystem::path videos = path("My Videos");
  std::filesystem::create_directories(videos);
  Put("tree/proc/self/mountinfo", "21 1 8:1 / / rw - ext4 /dev/sda1 rw\n22 21 8:17 / " +
                                      path("").parent_path().string() + "/My\\040Videos rw - xfs /dev/sdb1 rw\n");
  EXPECT_EQ(ReadDisk(videos, path("tree")).file_system, "xfs");
}

TEST_F(DiskTest, HoursFollowFromFreeSpaceAndRate) {
  Disk disk;
  disk.free_bytes = 100'000'000'000;
  EXPECT_NEAR(disk.hours_at(BitRate::FromKbps(25'000)), 8.44, 0.01);
}

TEST_F(DiskTest, WritesRealBytesAndLeavesNothingBehind) {
  const WriteRate rate = MeasureWriteRate(path(""), {.seconds = 60, .most_bytes = 64 << 20}, SteadyClock());
  EXPECT_EQ(rate.bytes, 64 << 20);
  EXPECT_GT(rate.mean_bytes_per_second, 0);
  EXPECT_GT(rate.slowest_bytes_per_second, 0);
  EXPECT_LE(rate.slowest_bytes_per_second, rate.mean_bytes_per_second * 1.0001);
  EXPECT_TRUE(std::filesystem::is_empty(path("")));
}

TEST_F(DiskTest, WritingStopsWhenTimeIsUpOrItIsTold) {
  const WriteRate rate = MeasureWriteRate(path(""), {.seconds = 2}, test::SlowClock());
  EXPECT_EQ(rate.bytes, 2 * kWritesPerSync * kWriteBytes);
  EXPECT_DOUBLE_EQ(rate.mean_bytes_per_second, kWritesPerSync * kWriteBytes);
  const std::atomic<bool> stop = true;
  EXPECT_THROW(MeasureWriteRate(path(""), {}, SteadyClock(), &stop), Error);
}

TEST_F(DiskTest, AFolderForRecordingsMustBeThereAndWritable) {
  EXPECT_NO_THROW(CheckWritable(path("")));
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { CheckWritable(path("none")); }), HasSubstr("no such folder"));
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { CheckWritable(Put("file", "")); }), HasSubstr("not a folder"));
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { CheckWritable("/proc"); }), HasSubstr("cannot write in /proc"));
}

TEST(DiskAdvice, OneLineForEachFinding) {
  Disk disk;
  disk.folder = "rec";
  disk.free_bytes = 400'000'000'000;
  EXPECT_THAT(DiskAdvice(disk, BitRate::FromKbps(25'000)), ElementsAre());
  disk.rotating = true;
  disk.write_rate = WriteRate{90e6, 8e6, 1, 1};
  disk.free_bytes = 10'000'000'000;
  EXPECT_THAT(DiskAdvice(disk, BitRate::FromKbps(25'000)),
              ElementsAre(test::Says("rotating disk"), test::Says("hours at 25000 kbit/s"), test::Says("8.0 MB/s")));
  disk.write_rate->slowest_bytes_per_second = 400e6;
  EXPECT_THAT(DiskAdvice(disk, BitRate::FromKbps(25'000)), ElementsAre(test::Says("hours")))
      << "nothing that turns is so fast: a virtual disk says that it does";
}

}  // namespace
}  // namespace kettle
