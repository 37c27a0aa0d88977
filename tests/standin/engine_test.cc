// SPDX-License-Identifier: Apache-2.0
#include "engine.h"

#include <gtest/gtest.h>

namespace standin {
namespace {

DeviceProfile TestProfile() {
  DeviceProfile profile;
  profile.session_limit = 2;
  profile.megapixels_per_second = {100, 90, 80, 70, 60, 50, 10};
  return profile;
}

Work Megapixel(int preset) { return {.width = 1000, .height = 1000, .preset = preset}; }

TEST(Engine, TakesTheProfilesTimeForEachPicture) {
  Engine engine(TestProfile());
  EXPECT_EQ(engine.Book(0, Megapixel(1)), 10'000'000);            // a megapixel at 100 a second
  EXPECT_EQ(engine.Book(50'000'000, Megapixel(7)), 150'000'000);  // after a rest, at 10 a second
}

TEST(Engine, IsSharedInTheOrderOfArrival) {
  Engine engine(TestProfile());
  EXPECT_EQ(engine.Book(0, Megapixel(1)), 10'000'000);
  EXPECT_EQ(engine.Book(0, Megapixel(1)), 20'000'000) << "the second session waits for the first";
  EXPECT_EQ(engine.Book(5'000'000, Megapixel(1)), 30'000'000);
}

TEST(Engine, ABusyGameSlowsWhatTheShadersPrepare) {
  DeviceProfile profile = TestProfile();
  profile.look_ahead_speed = 200;
  Work work = Megapixel(1);
  work.look_ahead = true;
  EXPECT_EQ(Engine(profile).Book(0, work), 15'000'000);  // 5 ms of looking ahead, then 10 ms of coding
  profile.game_share = 0.5;
  EXPECT_EQ(Engine(profile).Book(0, work), 20'000'000) << "the shaders are half as fast, the engine is not";
  EXPECT_EQ(Engine(profile).Book(0, Megapixel(1)), 10'000'000);
}

TEST(Engine, AGameMayComeAndGoWhileItRuns) {
  DeviceProfile profile = TestProfile();
  profile.look_ahead_speed = 200;
  Engine engine(profile);
  EXPECT_EQ(engine.ShaderUse(0), 0);
  engine.SetGameShare(0.5);
  EXPECT_EQ(engine.ShaderUse(0), 0.5);
  Work work = Megapixel(1);
  work.look_ahead = true;
  EXPECT_EQ(engine.Book(0, work), 20'000'000);
  engine.SetGameShare(2);
  EXPECT_EQ(engine.ShaderUse(-1'000'000'000), kMostGameShare) << "never all of it";
  engine.SetGameShare(std::nullopt);
  EXPECT_EQ(engine.Book(1'000'000'000, work), 1'015'000'000);
}

TEST(Engine, AFrameThatCrossesOverCostsTime) {
  DeviceProfile profile = TestProfile();
  profile.crossing_speed = 50;
  EXPECT_EQ(Engine(profile).Book(0, Megapixel(1)), 30'000'000);
}

TEST(Engine, HevcAndSlowDownsTakeLonger) {
  DeviceProfile profile = TestProfile();
  profile.codec_speed[1] = 0.5;
  Work work = Megapixel(1);
  work.codec = Codec::kHevc;
  EXPECT_EQ(Engine(profile).Book(0, work), 20'000'000);
  work.factor = 10;
  EXPECT_EQ(Engine(profile).Book(0, work), 200'000'000);
}

TEST(Engine, TakesNoMoreSessionsThanItsLimitAndCountsThem) {
  Engine engine(TestProfile());
  EXPECT_EQ(engine.Enter(), 1);
  EXPECT_EQ(engine.Enter(), 2);
  EXPECT_EQ(engine.Enter(), 0);
  engine.Leave();
  EXPECT_EQ(engine.Enter(), 3) << "counted since the device started";
  EXPECT_EQ(engine.sessions(), 2);
}

TEST(Engine, TellsHowBusyTheLastSecondWas) {
  Engine engine(TestProfile());
  for (int i = 0; i < 25; ++i) engine.Book(i * 20'000'000, Megapixel(1));
  EXPECT_NEAR(engine.EncoderUse(500'000'000), 0.25, 0.001);
  EXPECT_NEAR(engine.EncoderUse(5'000'000'000), 0, 0.001);
}

}  // namespace
}  // namespace standin
