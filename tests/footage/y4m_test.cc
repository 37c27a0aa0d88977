// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/y4m.h"

#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using Y4mTest = test::FolderTest;

TEST_F(Y4mTest, GivesBackWhatWasWritten) {
  test::MakeY4m(path("a.y4m"), {66, 64}, {30000, 1001}, 3);
  const Y4mFile file(path("a.y4m"));
  EXPECT_EQ(file.size(), (FrameSize{66, 64}));
  EXPECT_EQ(file.rate(), (FrameRate{30000, 1001}));
  ASSERT_EQ(file.frames(), 3);
  const FramePtr frame = file.Frame(2);
  EXPECT_EQ(frame->data[0][5], 16 + (5 * 3 + 2 * 7) % 200);
  EXPECT_EQ(frame->data[1][3], 128 + 5);
  EXPECT_EQ(av_frame_is_writable(frame.get()), 0) << "the mapping is shared";
}

TEST_F(Y4mTest, FramesOutliveTheFile) {
  test::MakeY4m(path("a.y4m"), {64, 64}, {25, 1}, 1);
  FramePtr frame;
  {
    const Y4mFile file(path("a.y4m"));
    frame = file.Frame(0);
  }
  EXPECT_EQ(frame->data[0][1], 19);
}

TEST_F(Y4mTest, AnUnfinishedFileNeverAppears) {
  {
    Y4mWriter writer(path("b.y4m"), {64, 64}, {25, 1});
    writer.Write(*NewPicture({64, 64}));
  }
  EXPECT_TRUE(std::filesystem::is_empty(path("")));
}

TEST_F(Y4mTest, RefusesWhatIsNotWhole) {
  test::MakeY4m(path("a.y4m"), {64, 64}, {25, 1}, 2);
  std::filesystem::resize_file(path("a.y4m"), std::filesystem::file_size(path("a.y4m")) - 1);
  EXPECT_THAT(Complaint(Fault::kInput, [&] { Y4mFile file(path("a.y4m")); }), testing::HasSubstr("incomplete"));
  Complaint(Fault::kInput, [&] { Y4mFile file(Put("c.y4m", "RIFF")); });
  Complaint(Fault::kInput, [&] { Y4mFile file(Put("d.y4m", "")); });
  Complaint(Fault::kInput, [&] { Y4mFile file(Put("e.y4m", "YUV4MPEG2 W64 H64 F25:1 C444\n")); });
}

}  // namespace
}  // namespace kettle
