// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/pooling.h"

#include <nlohmann/json.hpp>

#include "support.h"

namespace kettle {
namespace {

PictureMetrics Frame(double mse, double ssim) { return {mse, mse / 2, mse / 4, ssim, 100 * ssim, ssim, mse / 10}; }

TEST(Pool, FindsTheWorstSecond) {
  std::vector<PictureMetrics> frames(30, Frame(1, 0.9));
  for (std::size_t i = 10; i < 20; ++i) frames[i] = Frame(100, 0.5);
  frames[12] = Frame(150, 0.4);
  const Quality quality = Pool(frames, {10, 1}, {640, 360});
  EXPECT_EQ(quality.frames, 30);
  EXPECT_NEAR(quality.ssim_y, (0.9 * 20 + 0.5 * 9 + 0.4) / 30, 1e-12);
  EXPECT_NEAR(quality.worst_second_ssim_y, 0.49, 1e-12);
  EXPECT_EQ(quality.worst_second, 1);
  EXPECT_EQ(quality.worst_frame, 12);
  EXPECT_NEAR(quality.psnr_y_db, PsnrDb((20 + 900 + 150) / 30.0), 1e-12);
  EXPECT_NEAR(quality.worst_second_psnr_y_db, PsnrDb(105), 1e-12);
  EXPECT_NEAR(quality.worst_second_blockiness, 10.5, 1e-12);
}

TEST(Pool, TheScoreIsThatOfTheScoredPicturesAndTheFrameRatesShare) {
  std::vector<PictureMetrics> frames(20, Frame(1, 0.9));
  for (PictureMetrics& frame : frames) frame.score.reset();
  for (const std::size_t i : {2u, 7u}) frames[i].score = 60;
  for (const std::size_t i : {12u, 17u}) frames[i].score = 40;
  Quality quality = Pool(frames, {10, 1}, {640, 360});
  EXPECT_DOUBLE_EQ(quality.score(), 50);
  EXPECT_EQ(quality.worst_second, 1);
  EXPECT_DOUBLE_EQ(quality.worst_second_score(), 40);
  EXPECT_THAT(quality.scored_pictures, testing::ElementsAre(2, 7, 12, 17));
  quality.frame_rate_share = 0.8;
  EXPECT_DOUBLE_EQ(quality.score(), 40);
  EXPECT_DOUBLE_EQ(quality.worst_second_score(), 32);
  quality.picture_score = -20;
  EXPECT_DOUBLE_EQ(quality.score(), -20) << "a ruined picture gains nothing by standing longer";
}

TEST(Pool, TheFifthPercentileIsOfTheWorstFrames) {
  std::vector<PictureMetrics> frames;
  for (int i = 0; i <= 100; ++i) frames.push_back(Frame(i, 1 - i / 1000.0));
  const Quality quality = Pool(frames, {25, 1}, {640, 360});
  EXPECT_NEAR(quality.p5_ssim_y, 0.905, 1e-9);
  EXPECT_NEAR(quality.p5_psnr_y_db, PsnrDb(95), 1e-9);
}

TEST(Pool, NoFramesAreNoQuality) { EXPECT_EQ(Pool({}, {10, 1}, {640, 360}).frames, 0); }

TEST(Quality, ComesBackFromJson) {
  const Quality quality = Pool({Frame(2, 0.9), Frame(3, 0.8)}, {25, 1}, {640, 360});
  const auto again = nlohmann::json::parse(nlohmann::json(quality).dump()).get<Quality>();
  EXPECT_EQ(nlohmann::json(again), nlohmann::json(quality));
}

}  // namespace
}  // namespace kettle
