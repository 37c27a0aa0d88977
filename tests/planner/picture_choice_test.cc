// SPDX-License-Identifier: Apache-2.0
#include "kettle/planner/picture_choice.h"

#include "fakes.h"
#include "says.h"

namespace kettle {
namespace {

using testing::HasSubstr;

class PictureChoiceTest : public testing::Test {
 protected:
  PictureChoiceTest() {
    targets_.sizes = {{1280, 720}, {960, 540}, {640, 360}, {480, 270}};
    targets_.rates = {{60, 1}};
  }
  // A picture tried, and how its stream would look beside the recording; 0: nothing fits there.
  void Tried(FrameSize size, double alone_db, double placed_db) {
    tried_.push_back({size, {60, 1}, test::FakeOption("x264", "faster", 100, 1, alone_db)});
    placed_score_[size.height] = placed_db;
  }
  Placement Choose() {
    return PlaceBestPicture(
        tried_,
        [this](const Targets& at) {
          const double score = placed_score_.at(at.stream.size.height);
          placed_.push_back(at.stream.size.height);
          Placement placement;
          if (score > 0)
            placement.feasible.push_back({test::FakeOption("x264", "superfast", 200, 1, score),
                                          test::FakeOption("nvenc-h264", "p4", 100, 0.1, 20),
                                          {}});
          return placement;
        },
        [this](const Option& option) {
          Option confirmed = option;
          if (const auto score = everywhere_.find(option.score); score != everywhere_.end())
            confirmed.score = score->second;
          return confirmed;
        },
        targets_);
  }
  std::string Why() const {
    for (const Because& reason : targets_.reasons)
      if (reason.choice == "stream.size") return Sentence(reason.why);
    return "";
  }

  std::vector<TriedPicture> tried_;
  std::map<int, double> placed_score_;
  std::map<double, double> everywhere_;  // what a score becomes on all footage, if it changes
  std::vector<int> placed_;              // heights, as they were placed
  Targets targets_ = test::FakeTargets();
};

TEST_F(PictureChoiceTest, TheBestAloneIsTakenWhereItIsTheBestBesideTheRecordingToo) {
  Tried({960, 540}, 19, 18.5);
  Tried({640, 360}, 18.5, 18);
  EXPECT_EQ(Choose().feasible.front().stream.score, 18.5);
  EXPECT_EQ(targets_.stream.size, (FrameSize{960, 540}));
  EXPECT_EQ(placed_, (std::vector<int>{540})) << "the other could not look better by more than half a point";
  EXPECT_EQ(Why(), "best picture of the 2 sizes measured (next best: 640x360)");
}

TEST_F(PictureChoiceTest, FewerPixelsWithABetterPresetMayLookBetterBesideTheRecording) {
  Tried({960, 540}, 19, 15);
  Tried({1280, 720}, 18.75, 18.5);
  Tried({640, 360}, 18.5, 17.5);
  Tried({480, 270}, 17, 17);
  EXPECT_EQ(Choose().feasible.front().stream.score, 17.5);
  EXPECT_EQ(targets_.stream.size, (FrameSize{640, 360}));
  EXPECT_EQ(placed_, (std::vector<int>{540, 360})) << "neither more pixels, nor what could not look better";
  EXPECT_EQ(Why(), "best picture beside the recording of the 4 sizes measured (next best: 960x540)");
}

TEST_F(PictureChoiceTest, WhatLooksNoBetterPlacedLeavesTheFirst) {
  Tried({960, 540}, 19, 15);
  Tried({640, 360}, 18.5, 15.25);
  Tried({480, 270}, 18, 0);
  EXPECT_EQ(Choose().feasible.front().stream.score, 15);
  EXPECT_EQ(targets_.stream.size, (FrameSize{960, 540}));
  EXPECT_EQ(placed_, (std::vector<int>{540, 360, 270}));
  EXPECT_THAT(Why(), HasSubstr("best picture of the 3 sizes measured"));
}

TEST_F(PictureChoiceTest, OnlyAFewAreTried) {
  Tried({1280, 720}, 19, 14);
  Tried({960, 540}, 18.5, 14.5);
  Tried({640, 360}, 18, 15);
  Tried({480, 270}, 17.5, 17.5);
  EXPECT_EQ(Choose().feasible.front().stream.score, 15);
  EXPECT_EQ(placed_, (std::vector<int>{720, 540, 360}));
}

TEST_F(PictureChoiceTest, WithoutASearchItPlacesOnce) {
  placed_score_[targets_.stream.size.height] = 12;
  EXPECT_EQ(Choose().feasible.size(), 1u);
  EXPECT_EQ(Why(), "");
}

TEST_F(PictureChoiceTest, WhereNothingFitsAtTheBestPictureALighterOneIsTaken) {
  Tried({960, 540}, 19, 0);
  Tried({640, 360}, 18.5, 16);
  EXPECT_EQ(Choose().feasible.size(), 1u);
  EXPECT_EQ(targets_.stream.size, (FrameSize{640, 360}));
}

TEST_F(PictureChoiceTest, ALighterPictureTakesClearlyFewerPixels) {
  Tried({960, 540}, 19, 0);
  Tried({912, 513}, 18.5, 0);
  tried_.push_back({{800, 450}, {60, 1}, std::nullopt});
  Tried({640, 360}, 17, 0);
  const TriedPicture* lighter = LighterPicture(tried_, tried_[0].best->settings);
  EXPECT_EQ(lighter, nullptr) << "the option's own settings are small already";
  targets_.stream.size = {960, 540};
  lighter = LighterPicture(tried_, targets_.stream);
  ASSERT_NE(lighter, nullptr);
  EXPECT_EQ(lighter->size.height, 360);
}

TEST_F(PictureChoiceTest, TellsWhatEitherStretchAloneWouldHaveChosen) {
  const auto tried = [this](FrameSize size, double busiest, double calmest) {
    Tried(size, (busiest + calmest) / 2, 40);
    tried_.back().best->clips = {{"clip", 100, 0.4, busiest}};
    tried_.back().best->calm = {{"clip, calmest", 100, 0.4, calmest}};
  };
  tried({960, 540}, 44, 60);
  tried({1280, 720}, 40, 62);
  tried({640, 360}, 45, 50);
  Choose();
  EXPECT_EQ(targets_.stream.size, (FrameSize{960, 540}));
  EXPECT_THAT(Why(), HasSubstr("by the busy alone 640x360 at 60, by the calm alone 1280x720 at 60"));
}

TEST_F(PictureChoiceTest, TellsWhereTheyAgree) {
  Tried({960, 540}, 50, 50);
  tried_.back().best->clips = {{"clip", 100, 0.4, 40}};
  tried_.back().best->calm = {{"clip, calmest", 100, 0.4, 60}};
  Choose();
  EXPECT_THAT(Why(), HasSubstr("the same by busy or by calm moments alone"));
}

TEST_F(PictureChoiceTest, ALighterPictureThatFallsBackOnOtherFootageIsNotPlaced) {
  Tried({1280, 720}, 50, 35);
  Tried({960, 540}, 48, 45);
  everywhere_[48] = 30;
  Choose();
  EXPECT_EQ(targets_.stream.size.height, 720);
  EXPECT_EQ(placed_, std::vector<int>{720});
}

}  // namespace
}  // namespace kettle
