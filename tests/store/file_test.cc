// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/file.h"

#include <sys/resource.h>
#include <sys/stat.h>

#include <csignal>

#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using FileTest = test::FolderTest;

TEST_F(FileTest, ReplacesWholeAndPrivate) {
  WriteFile(path("a.json"), "old");
  WriteFile(path("a.json"), "new");
  EXPECT_EQ(Get(path("a.json")), "new");
  struct stat status {};
  ASSERT_EQ(stat(path("a.json").c_str(), &status), 0);
  EXPECT_EQ(status.st_mode & 0777, 0600u);
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(path("")), {}), 1) << "a temporary file is left";
}

TEST_F(FileTest, AFailedWriteLeavesTheOldFile) {
  WriteFile(path("a.json"), "old");
  // The disk "fills up" in the middle: this process may write 100 bytes a file.
  signal(SIGXFSZ, SIG_IGN);
  rlimit before{};
  getrlimit(RLIMIT_FSIZE, &before);
  const rlimit small{100, before.rlim_max};
  setrlimit(RLIMIT_FSIZE, &small);
  const std::string line = Complaint(Fault::kMachine, [&] { WriteFile(path("a.json"), std::string(5000, 'x')); });
  setrlimit(RLIMIT_FSIZE, &before);
  EXPECT_THAT(line, testing::HasSubstr("a.json"));
  EXPECT_EQ(Get(path("a.json")), "old");
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(path("")), {}), 1) << "a temporary file is left";
}

TEST_F(FileTest, PrepareFolderNamesWhatIsInTheWay) {
  Put("file", "x");
  Complaint(Fault::kMachine, [&] { PrepareFolder(path("file"), "output folder"); });
  PrepareFolder(path("new/deep"), "output folder");
  EXPECT_TRUE(std::filesystem::is_directory(path("new/deep")));
}

TEST_F(FileTest, TemporaryFoldersGo) {
  std::filesystem::path where;
  {
    TemporaryFolder folder(path(""));
    where = folder.path();
    std::ofstream(where / "x") << "x";
  }
  EXPECT_FALSE(std::filesystem::exists(where));
}

}  // namespace
}  // namespace kettle
