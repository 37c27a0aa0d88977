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
  void Tried(FrameSize size, double score) {
    tried_.push_back({size, {60, 1}, test::FakeOption("x264", "faster", 100, 1, score)});
  }
  void Choose(std::size_t which = 0) { ChoosePicture(tried_, tried_[which], Message{"picture.best"}, targets_); }
  std::string Why() const {
    for (const Because& reason : targets_.reasons)
      if (reason.choice == "stream.size") return Sentence(reason.why);
    return "";
  }

  std::vector<TriedPicture> tried_;
  Targets targets_ = test::FakeTargets();
};

TEST_F(PictureChoiceTest, TellsHowManyWereMeasuredAndWhatCameNext) {
  Tried({960, 540}, 19);
  Tried({640, 360}, 18.5);
  Choose();
  EXPECT_EQ(targets_.stream.size, (FrameSize{960, 540}));
  EXPECT_EQ(Why(), "best picture of the 2 sizes measured (next best: 640x360)");
  Choose(1);
  EXPECT_EQ(targets_.stream.size, (FrameSize{640, 360}));
  EXPECT_EQ(Why(), "best picture of the 2 sizes measured (next best: 960x540)");
}

TEST_F(PictureChoiceTest, TellsWhatEitherStretchAloneWouldHaveChosen) {
  const auto tried = [this](FrameSize size, double busiest, double calmest) {
    Tried(size, (busiest + calmest) / 2);
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
  Tried({960, 540}, 50);
  tried_.back().best->clips = {{"clip", 100, 0.4, 40}};
  tried_.back().best->calm = {{"clip, calmest", 100, 0.4, 60}};
  Choose();
  EXPECT_THAT(Why(), HasSubstr("the same by busy or by calm moments alone"));
}

}  // namespace
}  // namespace kettle
