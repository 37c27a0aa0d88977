// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/quality_run.h"

#include "kettle/task/unpaced.h"
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
    return RunQuality({task.footage, task.output, rate, 50, {}}, [](double) {}).quality;
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

TEST_F(QualityRunTest, APictureIsComparedWithTheOneThatItWasMadeFrom) {
  const Quality half = QualityAt(4000, {192, 128}, {25, 2}), whole = QualityAt(4000);
  EXPECT_EQ(half.frames, 25);
  EXPECT_GT(half.ssim_y, whole.ssim_y - 0.02);
  EXPECT_NEAR(half.picture_score, whole.picture_score, 3) << "the frame rate is another matter:";
  EXPECT_EQ(whole.frame_rate_share, 1);
  EXPECT_LT(half.frame_rate_share, 0.99);
  EXPECT_DOUBLE_EQ(half.score(), half.picture_score * half.frame_rate_share);
}

TEST_F(QualityRunTest, ScoresPicturesOfEverySecondAndMoreOfTheWorst) {
  const Quality low = QualityAt(100), high = QualityAt(4000);
  EXPECT_GT(high.score(), low.score() + 10);
  EXPECT_EQ(low.seconds_picture_score.size(), 2u);
  EXPECT_GT(low.scored_pictures.size(), 8u);
  EXPECT_LE(low.worst_second_score(), low.score());
  EXPECT_EQ(low.speeds.size(), 20u);
  EXPECT_GT(low.speeds.back(), 0);
}

TEST_F(QualityRunTest, IsMeasuredAtTheViewingSize) {
  const Quality whole = QualityAt(200);
  const Quality small = RunQuality({path("source.y4m"), path("out.mkv"), {25, 1}, 50, {96, 64}}, [](double) {}).quality;
  EXPECT_EQ(whole.viewing_size, (FrameSize{192, 128}));
  EXPECT_EQ(small.viewing_size, (FrameSize{96, 64}));
  EXPECT_GT(small.psnr_y_db, whole.psnr_y_db + 0.5) << "scaling down hides errors";
}

TEST_F(QualityRunTest, GivesTheMetricsOfEveryFrame) {
  QualityAt(400);
  const QualityOutcome outcome = RunQuality({path("source.y4m"), path("out.mkv"), {25, 1}, 30, {}}, [](double) {});
  EXPECT_EQ(outcome.frames.size(), 30u);
  EXPECT_EQ(outcome.quality.frames, 30);
}

}  // namespace
}  // namespace kettle
