// SPDX-License-Identifier: Apache-2.0
#include "kettle/diagnosis/game_frames.h"

#include <fstream>

#include "kettle/diagnosis/climb.h"
#include "kettle/units/error.h"
#include "says.h"
#include "support.h"

namespace kettle {
namespace {

// Frames of equal length, from one time to another.
void AddFrames(double from, double to, double milliseconds, std::vector<GameFrame>& frames) {
  for (double at = from; at < to - 1e-9; at += milliseconds / 1000) frames.push_back({at, milliseconds});
}

TEST(CountGameFrames, TellsWithoutAndBesideTheEncodes) {
  std::vector<GameFrame> frames;
  AddFrames(0, 1, 100, frames);  // it starts up
  AddFrames(1, 10, 20, frames);
  AddFrames(10, 20, 25, frames);
  const GameFrames game = CountGameFrames(frames, 60, 10, 10, 20);
  EXPECT_NEAR(game.alone_fps, 50, 1e-6);
  EXPECT_NEAR(game.beside_fps, 40, 1e-6);
  EXPECT_NEAR(game.lost_share(), 0.2, 1e-6);
  EXPECT_EQ(game.seconds.size(), 20u);
  EXPECT_EQ(game.seconds[5], 50);
}

TEST(CountGameFrames, SlowFramesShowInTheOnePercentLow) {
  std::vector<GameFrame> frames;
  AddFrames(0, 10, 20, frames);
  AddFrames(10, 20, 20, frames);
  for (std::size_t i = 500; i < frames.size(); i += 50) frames[i].milliseconds = 100;  // one in fifty
  const GameFrames game = CountGameFrames(frames, 0, 10, 10, 20);
  EXPECT_NEAR(game.alone_low_fps, 50, 1e-6);
  EXPECT_NEAR(game.beside_low_fps, 10, 1e-6);
}

TEST(CountGameFrames, FrameTimesOfAnEarlierRunAreNotAlone) {
  std::vector<GameFrame> frames;
  AddFrames(0, 10, 20, frames);
  AddFrames(10, 30, 40, frames);
  EXPECT_NEAR(CountGameFrames(frames, 0, 10, 20, 30).alone_fps, 50, 1e-6);
}

TEST(CountGameFrames, MoreFramesBesideAreNoLoss) {
  std::vector<GameFrame> frames;
  AddFrames(0, 10, 20, frames);
  AddFrames(10, 20, 19, frames);
  EXPECT_EQ(CountGameFrames(frames, 0, 10, 10, 20).lost_share(), 0);
}

class GameFramesFileTest : public test::FolderTest {
 protected:
  std::vector<GameFrame> Read(const std::string& text) {
    std::ofstream(path("game.csv")) << text;
    return ReadGameFrames(path("game.csv"));
  }
  std::string Refused(const std::string& text) {
    try {
      Read(text);
    } catch (const Error& error) {
      return error.what();
    }
    return "taken";
  }
};

TEST_F(GameFramesFileTest, ReadsTheFirstTwoColumnsAsFarAsLinesAreWhole) {
  const auto frames = Read("seconds,milliseconds,simulated\n0.5,16.7,true\n0.5167,16.6,true\n0.53,1");
  ASSERT_EQ(frames.size(), 2u);
  EXPECT_NEAR(frames[1].seconds, 0.0167, 1e-9) << "from the first frame on";
  EXPECT_EQ(frames[1].milliseconds, 16.6);
}

TEST_F(GameFramesFileTest, SaysWhatIsWrong) {
  EXPECT_THAT(Refused("time;ms\n1;2\n"), testing::HasSubstr("game.csv:1: a log of frame times begins with"));
  EXPECT_THAT(Refused("seconds,milliseconds\n1,16\n0.5,16\n"), testing::HasSubstr("game.csv:3: each line holds"));
  for (const char* line : {"1,0", "1,nan", "nan,16", "1,inf", "inf,16", "x"})
    EXPECT_THAT(Refused(std::string("seconds,milliseconds\n") + line + "\n"), testing::HasSubstr("game.csv:2")) << line;
  EXPECT_THAT(Refused("seconds,milliseconds\n0,16\n1e12,16\n"), testing::HasSubstr("game.csv:3"));
  EXPECT_THROW(ReadGameFrames(path("none.csv")), Error);
}

TEST_F(GameFramesFileTest, ALogMayCountFrom1970) {
  const auto frames = Read("seconds,milliseconds\n1795000000.5,20\n1795000000.52,20\n");
  EXPECT_EQ(CountGameFrames(frames, 0, 0, 0, 1).seconds.size(), 0u) << "not one whole second";
}

class GameLosesTest : public testing::Test {
 protected:
  GameLosesTest() {
    outcome_.seconds = 10;
    facts_.game = GameFrames{.alone_fps = 30, .beside_fps = 24};
    plan_.stream = test::SmallSettings("x264", "faster");
    plan_.recording = test::SmallSettings("x264", "fast");
  }
  PlanStep Step(const std::string& what, const EncodeSettings& settings) { return {what, 10, 0, 0.2, settings}; }
  Diagnosis::Cure TheCure() { return Diagnose(outcome_, facts_, plan_).cures.at(0); }

  RehearsalOutcome outcome_;
  DiagnosisFacts facts_;
  PlanFile plan_;
};

TEST_F(GameLosesTest, IsACauseWithItsFrames) {
  EXPECT_TRUE(facts_.GameLosesTooMuch());
  const auto cure = TheCure();
  EXPECT_EQ(cure.cause, Cause::kGameLoses);
  EXPECT_EQ(cure.frames, 60) << "6 a second for 10 s";
  EXPECT_THAT(cure.action, test::Says("record the stream's own encode")) << "the plan has no step";
}

TEST_F(GameLosesTest, LittleIsForgiven) {
  facts_.game->beside_fps = 29.5;
  EXPECT_TRUE(Diagnose(outcome_, facts_, plan_).cures.empty());
  facts_.game_gives = 0;
  EXPECT_EQ(Diagnose(outcome_, facts_, plan_).cures.size(), 1u);
}

TEST_F(GameLosesTest, TheRecordingGivesWayThenTheStreamThenItsPicture) {
  EncodeSettings small = plan_.stream;
  small.size = {64, 48};
  plan_.line = {Step("bit rate 300 kbit/s", plan_.stream), Step("size 64x48", small)};
  plan_.stream_encoder = {Step("x264 veryfast for the stream", test::SmallSettings("x264", "veryfast"))};
  plan_.to_one_encode = {Step("the stream's own encode for the recording", plan_.stream)};
  plan_.recording_encoder = {Step("x264 faster for the recording", test::SmallSettings("x264", "faster"))};
  std::vector<std::string> steps;
  for (std::optional<PlanFile> next = plan_; next; next = ApplyCure(TheCure(), plan_)) {
    plan_ = *next;
    if (const auto cure = TheCure(); cure.step) steps.push_back(cure.step->what);
  }
  EXPECT_THAT(steps, testing::ElementsAre("x264 faster for the recording", "the stream's own encode for the recording",
                                          "x264 veryfast for the stream", "size 64x48"));
  EXPECT_EQ(plan_.stream.preset, "veryfast");
  EXPECT_TRUE(plan_.one_encode);
  EXPECT_EQ(plan_.recording, plan_.stream);
  EXPECT_EQ(plan_.stream.size, (FrameSize{64, 48})) << "a lower bit rate alone would leave the game nothing";
}

TEST_F(GameLosesTest, SeveralEncodesOfTheStreamGiveWayFirst) {
  plan_.further_streams = {{{"Quay"}, plan_.stream}};
  PlanStep one = Step("one encode for all destinations", test::SmallSettings("x264", "faster"));
  plan_.to_one_stream = {one};
  plan_.recording_encoder = {Step("x264 faster for the recording", test::SmallSettings("x264", "faster"))};
  ASSERT_TRUE(TheCure().step);
  EXPECT_EQ(TheCure().step->what, one.what);
  const auto next = ApplyCure(TheCure(), plan_);
  ASSERT_TRUE(next);
  EXPECT_TRUE(next->further_streams.empty());
  EXPECT_EQ(next->stream.preset, "faster");
  EXPECT_TRUE(next->to_one_stream.empty());
  EXPECT_FALSE(next->recording_encoder.empty()) << "the next step";
}

}  // namespace
}  // namespace kettle
