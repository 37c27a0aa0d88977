// SPDX-License-Identifier: Apache-2.0
#include "kettle/screen/capture.h"

#include <fcntl.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include "kettle/media/reader.h"
#include "support.h"

namespace kettle {
namespace {

using testing::HasSubstr;

// An X server without a monitor, on a display that it chooses itself.
class Xvfb {
 public:
  Xvfb() {
    int ends[2];
    if (pipe(ends) != 0) return;
    pid_ = fork();
    if (pid_ == 0) {
      const int null = open("/dev/null", O_RDWR);
      dup2(null, STDERR_FILENO);
      const std::string fd = std::to_string(ends[1]);
      execlp("Xvfb", "Xvfb", "-displayfd", fd.c_str(), "-screen", "0", "321x180x24", "-nolisten", "tcp", nullptr);
      _exit(127);
    }
    close(ends[1]);
    char c;
    while (read(ends[0], &c, 1) == 1 && c != '\n') number_ += c;
    close(ends[0]);
  }
  ~Xvfb() {
    if (pid_ <= 0) return;
    kill(pid_, SIGTERM);
    waitpid(pid_, nullptr, 0);
  }
  std::string display() const { return number_.empty() ? "" : ":" + number_; }

 private:
  pid_t pid_ = -1;
  std::string number_;
};

class CaptureScreenTest : public test::FolderTest {};

TEST_F(CaptureScreenTest, WhatADisplayShowsBecomesAClip) {
  const Xvfb server;
  ASSERT_FALSE(server.display().empty()) << "Xvfb did not start";
  ScreenCaptureRequest request;
  request.display = server.display();
  request.rate = {10, 1};
  request.seconds = 1;
  request.file = path("clip.mkv");
  const ScreenCaptureOutcome outcome = CaptureScreen(request, [](double) { return true; });
  EXPECT_EQ(outcome.size, (FrameSize{320, 180})) << "its odd last column is left out";
  EXPECT_GE(outcome.frames, 1);
  EXPECT_EQ(outcome.frames + outcome.missed, 10);
  EXPECT_GT(outcome.cpu_cores, 0);
  MediaReader clip(request.file);
  int frames = 0;
  while (const auto next = clip.Next()) {
    const AVFrame* picture = next->frame.get();
    ++frames;
    EXPECT_EQ(picture->width, 320);
    EXPECT_EQ(picture->colorspace, AVCOL_SPC_BT709);
    EXPECT_NEAR(picture->data[0][0], 16, 1) << "an empty X server is black";
  }
  EXPECT_EQ(frames, outcome.frames);
}

TEST_F(CaptureScreenTest, WhoStopsItKeepsWhatWasCaptured) {
  const Xvfb server;
  ScreenCaptureRequest request;
  request.display = server.display();
  request.rate = {20, 1};
  request.seconds = 60;
  request.file = path("clip.mkv");
  int asked = 0;
  const ScreenCaptureOutcome outcome = CaptureScreen(request, [&](double) { return ++asked <= 5; });
  EXPECT_EQ(outcome.frames, 5);
  EXPECT_EQ(MediaReader(request.file).ReadPackets().size(), 5u);
}

TEST_F(CaptureScreenTest, ADisplayThatIsNotThereIsSaid) {
  ScreenCaptureRequest request;
  request.display = ":4711";
  request.file = path("clip.mkv");
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { CaptureScreen(request, [](double) { return true; }); }),
              HasSubstr("display :4711 cannot be captured"));
}

TEST(WhyNoCapture, WaylandShowsItsScreenToNobody) {
  EXPECT_EQ(WhyNoCapture(":0", "", "x11"), "");
  EXPECT_THAT(WhyNoCapture(":0", "wayland-0", ""), HasSubstr("Wayland"));
  EXPECT_THAT(WhyNoCapture(":0", "", "wayland"), HasSubstr("give that clip instead"));
  EXPECT_THAT(WhyNoCapture("", "", ""), HasSubstr("no display"));
}

}  // namespace
}  // namespace kettle
