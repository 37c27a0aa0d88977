// SPDX-License-Identifier: Apache-2.0
#include "figure/pictures_figure.h"

#include "fakes.h"

namespace kettle {
namespace {

using test::FakeOption;
using PicturesFigureTest = test::FolderTest;

TriedPicture Tried(FrameSize size, int fps, double score) {
  TriedPicture picture{size, {fps, 1}, FakeOption("x264", "veryfast", 90, 1.3, score)};
  picture.best->settings.size = size;
  picture.best->settings.frame_rate = picture.rate;
  return picture;
}

std::vector<TriedPicture> Tries() {
  return {Tried({768, 432}, 60, 17.2),
          Tried({960, 540}, 60, 16.8),
          Tried({768, 432}, 50, 16.4),
          {{1280, 720}, {60, 1}, std::nullopt}};
}

TEST_F(PicturesFigureTest, ARowEachWithItsPresetAndTheChoiceMarked) {
  const auto tried = Tries();
  Draw(path(""), *MakePicturesChart(tried, tried[0].best->settings));
  const std::string svg = Get(path("pictures.svg"));
  for (const char* row :
       {"768x432 at 60, x264 veryfast", "960x540 at 60, x264 veryfast", "768x432 at 50, x264 veryfast", "17.2   chosen",
        "768x432 at 60 frames a second looks best of the sizes tried"})
    EXPECT_TRUE(svg.find(row) != svg.npos) << row;
  EXPECT_TRUE(svg.find("1280x720") == svg.npos) << "what does not keep pace has no row";
}

TEST_F(PicturesFigureTest, SaysWhereAnotherLooksBetter) {
  const auto tried = Tries();
  Draw(path(""), *MakePicturesChart(tried, tried[1].best->settings));
  const std::string svg = Get(path("pictures.svg"));
  EXPECT_TRUE(svg.find("960x540 at 60 frames a second looks best beside the recording") != svg.npos);
  EXPECT_TRUE(svg.find("16.8   chosen") != svg.npos);
}

TEST_F(PicturesFigureTest, SaysWhatWasNotMeasuredInCalmMoments) {
  std::vector<TriedPicture> tries = Tries();
  tries[0].best->calm = {{"clip, calmest", 100, 0.4, 20}};
  const auto chart = MakePicturesChart(tries, tries[0].best->settings);
  ASSERT_TRUE(chart);
  EXPECT_FALSE(chart->rows[0].busiest_only);
  EXPECT_TRUE(chart->rows[1].busiest_only);
  Draw(path(""), *chart);
  const std::string svg = Get(path("pictures.svg"));
  EXPECT_TRUE(svg.find("busy moments only") != svg.npos);
  EXPECT_TRUE(svg.find("busy and calm moments half each") != svg.npos);
}

TEST_F(PicturesFigureTest, OnePictureIsNoFigure) {
  EXPECT_FALSE(MakePicturesChart({Tries()[0]}, Tries()[0].best->settings));
}

}  // namespace
}  // namespace kettle
