// SPDX-License-Identifier: Apache-2.0
#include "figure/figures.h"

#include "fakes.h"

namespace kettle {
namespace {

using test::FakeOption;
using FiguresTest = test::FolderTest;

std::vector<Option> Options() {
  std::vector<Option> options = {FakeOption("x264", "superfast", 150, 0.8, 9),
                                 FakeOption("x264", "veryfast", 90, 1.3, 10), FakeOption("x264", "fast", 40, 3, 11),
                                 FakeOption("nvenc-h264", "p4", 120, 0, 9.5)};
  options[3].simulated = true;
  return options;
}

TEST_F(FiguresTest, TheTitleIsTheAnswer) {
  const auto options = Options();
  Draw(path(""), *MakeSpeedQualityChart(options, options[1], 0.2));
  const std::string svg = Get(path("speed-quality.svg"));
  EXPECT_THAT(svg, testing::HasSubstr("x264 veryfast is chosen: of the 4 presets measured, 3 keep pace alone"));
  EXPECT_THAT(svg, testing::HasSubstr("veryfast  (chosen)"));
  EXPECT_THAT(svg, testing::HasSubstr("simulated GPU"));
  EXPECT_THAT(svg, testing::HasSubstr("with 20 % headroom, 75"));
}

TEST_F(FiguresTest, ARefinedChoiceIsAPointOfItsOwn) {
  const auto options = Options();
  Option refined = options[1];
  refined.settings.look_ahead_frames = 20;
  refined.score += 0.3;
  Draw(path(""), *MakeSpeedQualityChart(options, refined, 0.2));
  const std::string svg = Get(path("speed-quality.svg"));
  EXPECT_THAT(svg, testing::HasSubstr("veryfast with look-ahead 20  (chosen)"));
  EXPECT_THAT(svg, testing::Not(testing::HasSubstr(">veryfast  (chosen)")));
}

TEST_F(FiguresTest, WithoutAChoiceItCounts) {
  Draw(path(""), *MakeSpeedQualityChart({FakeOption("x264", "fast", 40, 3, 11)}, std::nullopt, 0.2));
  EXPECT_THAT(Get(path("speed-quality.svg")), testing::HasSubstr("No preset keeps pace"));
}

TEST_F(FiguresTest, WhatHasNoScoreIsCounted) {
  auto options = Options();
  EXPECT_THAT(MakeSpeedQualityChart(options, options[1], 0.2)->subtitle, testing::Not(testing::HasSubstr("not shown")));
  options[2].score = kNotScored;
  EXPECT_THAT(MakeSpeedQualityChart(options, options[1], 0.2)->subtitle,
              testing::HasSubstr("; 1 without a score is not shown"));
}

TEST_F(FiguresTest, NothingMeasuredDrawsNothing) {
  Option broken = FakeOption("x264", "fast", 40, 3, 11);
  broken.score = kNotScored;
  EXPECT_FALSE(MakeSpeedQualityChart({broken}, std::nullopt, 0.2));
}

Attempt AttemptWith(int skipped) {
  Attempt attempt{{FakeOption("x264", "veryfast", 120, 1, 10), FakeOption("nvenc-h264", "p4", 120, 0, 10), {}},
                  test::FakeProof(skipped, 0)};
  attempt.proof.seconds = 10;
  for (int i = 0; i < 600; ++i) {
    attempt.proof.stream.frame_times.push_back({i, i * 16.667, i < skipped ? -1 : 2.0 + i % 7});
    attempt.proof.recording.frame_times.push_back({i, i * 16.667, 3.0});
  }
  return attempt;
}

TEST_F(FiguresTest, AProofThatHoldsSaysSo) {
  Draw(path(""), *MakeProofTimesChart(AttemptWith(0)));
  const std::string svg = Get(path("proof-times.svg"));
  EXPECT_THAT(svg, testing::HasSubstr("no frame of 1200 was skipped in 10 s"));
  EXPECT_THAT(svg, testing::HasSubstr("one frame interval, 16.7 ms"));
}

TEST_F(FiguresTest, AProofThatFailsCountsWhatWasSkipped) {
  Draw(path(""), *MakeProofTimesChart(AttemptWith(42)));
  EXPECT_THAT(Get(path("proof-times.svg")), testing::HasSubstr("42 of 1200 frames were skipped"));
}

TEST_F(FiguresTest, AProofThatCrashedDrawsNothing) {
  Attempt crashed = AttemptWith(0);
  crashed.proof = Proof{};
  crashed.proof.status = WorkerStatus::kCrashed;
  EXPECT_FALSE(MakeProofTimesChart(crashed));
}

TEST_F(FiguresTest, WhatDiffersNamesTheSeries) {
  std::vector<Option> options = Options();
  options[1].settings.size = {320, 180};
  options[2].settings.size = {320, 180};
  Draw(path(""), *MakeSpeedQualityChart(options, std::nullopt, 0.2));
  const std::string svg = Get(path("speed-quality.svg"));
  EXPECT_THAT(svg, testing::HasSubstr("x264 320x180"));
  EXPECT_THAT(svg, testing::HasSubstr("nvenc-h264 192x128 (simulated GPU)"));
}

TEST_F(FiguresTest, ASoakRunShowsItsDrift) {
  std::vector<SoakWindow> windows;
  for (int i = 0; i < 12; ++i) windows.push_back({i * 10.0, 120 - i * 3.0, 0, 0, 0});
  EncodeSettings settings = test::SmallSettings("x264", "fast");
  settings.frame_rate = {60, 1};
  Draw(path(""), MakeSoakChart(settings, windows, MeasureDrift(windows, settings.frame_rate, 0.2), 0.2, false));
  const std::string svg = Get(path("soak.svg"));
  EXPECT_THAT(svg, testing::HasSubstr("x264 fast slows under sustained load: -23.1 %"));
  EXPECT_THAT(svg, testing::HasSubstr("last quarter: median 90"));
}

}  // namespace
}  // namespace kettle
