// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/quality_run.h"

#include "kettle/trial/unpaced.h"
#include "support.h"

namespace kettle {
namespace {

class QualityRunTest : public test::FolderTest {
 protected:
  Quality QualityAt(double kbps, FrameSize size = {192, 128}, FrameRate rate = {25, 1}) {
    const SteadyClock clock;
    EncodeTask task;
    task.settings = test::SmallSettings("x264", "medium");
    task.settings.bit_rate = task.settings.maximum_bit_rate = BitRate::FromKbps(kbps);
    task.settings.size = size;
    task.settings.frame_rate = rate;
    task.footage = test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 50, 2);  // every picture twice
    task.output = path("out.mkv").string();
    RunUnpaced(task, clock, [](double) {});
    return RunQuality({task.footage, task.output, rate, 50}, [](double) {});
  }
};

TEST_F(QualityRunTest, MoreBitsLookBetter) {
  const Quality low = QualityAt(100), high = QualityAt(4000);
  EXPECT_EQ(low.frames, 50);
  EXPECT_GT(high.psnr_y_db, low.psnr_y_db + 3);
  EXPECT_GT(high.ssim_y, low.ssim_y);
  EXPECT_LE(high.worst_second_ssim_y, high.ssim_y);
}

TEST_F(QualityRunTest, ASmallerEncodeIsComparedAtTheSourcesSize) {
  EXPECT_LT(QualityAt(4000, {96, 64}).psnr_y_db, QualityAt(4000).psnr_y_db);
}

TEST_F(QualityRunTest, AFrameThatWasNotSentIsComparedAsTheOneStillShown) {
  // Every picture stands for two frames: at half the frame rate nothing is lost but half the frames.
  EXPECT_GT(QualityAt(4000, {192, 128}, {25, 2}).ssim_y, QualityAt(4000).ssim_y - 0.02);
}

TEST(Summarise, FindsTheWorstSecond) {
  std::vector<PlaneMetrics> frames(30, {1.0, 0.9});
  for (int i = 10; i < 20; ++i) frames[static_cast<std::size_t>(i)] = {100.0, 0.5};
  const Quality quality = Summarise(frames, {10, 1});
  EXPECT_NEAR(quality.ssim_y, (0.9 * 20 + 0.5 * 10) / 30, 1e-12);
  EXPECT_NEAR(quality.worst_second_ssim_y, 0.5, 1e-12);
  EXPECT_NEAR(quality.psnr_y_db, PsnrDb(34), 1e-12);
  EXPECT_NEAR(quality.worst_second_psnr_y_db, PsnrDb(100), 1e-12);
  EXPECT_EQ(Summarise({}, {10, 1}).frames, 0);
}

}  // namespace
}  // namespace kettle
