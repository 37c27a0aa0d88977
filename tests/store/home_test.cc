// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/home.h"

#include <sys/stat.h>
#include <unistd.h>

#include "support.h"

namespace kettle {
namespace {

using HomeTest = test::FolderTest;

// The cache once went to a name in /tmp that anybody could foresee, and make first.
TEST_F(HomeTest, AFolderForTemporaryFilesIsTheUsersAlone) {
  const std::filesystem::path folder = OwnTemporaryFolder(path(""));
  struct stat status {};
  ASSERT_EQ(stat(folder.c_str(), &status), 0);
  EXPECT_EQ(status.st_mode & 0777, 0700u);
  EXPECT_EQ(OwnTemporaryFolder(path("")), folder) << "the same again";
  chmod(folder.c_str(), 0777);
  EXPECT_THAT(test::Complaint(Fault::kMachine, [&] { OwnTemporaryFolder(path("")); }),
              testing::HasSubstr("not yours alone"));
  std::filesystem::remove(folder);
  std::filesystem::create_directory_symlink("/tmp", folder);
  EXPECT_THAT(test::Complaint(Fault::kMachine, [&] { OwnTemporaryFolder(path("")); }),
              testing::HasSubstr("not yours alone"));
}

}  // namespace
}  // namespace kettle
