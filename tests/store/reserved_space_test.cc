// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/reserved_space.h"

#include <sys/resource.h>
#include <sys/stat.h>

#include <csignal>

#include "support.h"

namespace kettle {
namespace {

class ReservedSpaceTest : public test::FolderTest {
 protected:
  void TearDown() override { Limit(RLIM_INFINITY); }
  // As if the disk had no more.
  static void Limit(rlim_t bytes) {
    std::signal(SIGXFSZ, SIG_IGN);
    rlimit limit{};
    getrlimit(RLIMIT_FSIZE, &limit);
    limit.rlim_cur = std::min(bytes, limit.rlim_max);
    setrlimit(RLIMIT_FSIZE, &limit);
  }
  static std::int64_t BytesOnDisk(int file) {
    struct stat status {};
    return fstat(file, &status) == 0 ? status.st_blocks * 512 : 0;
  }
};

TEST_F(ReservedSpaceTest, IsTakenUntilItIsNeededAndLeavesNoFile) {
  ReservedSpace space(path(""), 1 << 20);
  EXPECT_GE(BytesOnDisk(space.file()), 1 << 20);
  EXPECT_TRUE(std::filesystem::is_empty(path("")));
  space.Release();
  EXPECT_EQ(space.file(), -1) << "closed, and so its room is free";
}

TEST_F(ReservedSpaceTest, WhatTheDiskHasNotIsSaidAtOnce) {
  Limit(1 << 16);
  const std::string line = test::Complaint(Fault::kMachine, [&] { ReservedSpace(path(""), 3 << 20); });
  EXPECT_THAT(line, testing::HasSubstr("no room for the results, which need 4 MB"));
  EXPECT_TRUE(std::filesystem::is_empty(path("")));
}

}  // namespace
}  // namespace kettle
