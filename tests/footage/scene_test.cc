// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/scene.h"

#include <cstring>

#include "kettle/footage/content.h"
#include "support.h"

namespace kettle {
namespace {

FramePtr Draw(const Scene& scene, FrameSize size, double seconds) {
  FramePtr picture = NewPicture(size);
  scene.Draw(seconds, *picture);
  return picture;
}

bool SameLuma(const AVFrame& a, const AVFrame& b) {
  for (int y = 0; y < a.height; ++y)
    if (std::memcmp(a.data[0] + y * a.linesize[0], b.data[0] + y * b.linesize[0], static_cast<std::size_t>(a.width)) !=
        0)
      return false;
  return true;
}

// Mean squared difference of the luma of two pictures a 60th of a second apart.
double Motion(const Scene& scene, double seconds) {
  const FrameSize size{320, 180};
  const FramePtr a = Draw(scene, size, seconds), b = Draw(scene, size, seconds + 1.0 / 60);
  return TemporalInformation(LumaOf(*a), LumaOf(*b));
}

TEST(Scene, IsTheSameForTheSameSeed) {
  for (const SceneInfo& info : Scenes()) {
    const auto one = MakeScene(info.name, 1), same = MakeScene(info.name, 1), other = MakeScene(info.name, 2);
    EXPECT_TRUE(SameLuma(*Draw(*one, {320, 180}, 0.7), *Draw(*same, {320, 180}, 0.7))) << info.name;
    EXPECT_FALSE(SameLuma(*Draw(*one, {320, 180}, 0.7), *Draw(*other, {320, 180}, 0.7))) << info.name;
  }
}

TEST(Scene, DrawsAtAnySizeAndTime) {
  for (const SceneInfo& info : Scenes())
    for (const FrameSize size : {FrameSize{64, 64}, {66, 130}, {854, 480}, {1920, 1080}})
      Draw(*MakeScene(info.name, 1), size, 12.34);
}

TEST(Scene, StartLineMovesMoreThanOpenWaterAndThatMoreThanTheHarbour) {
  const auto start = MakeScene("start-line", 1), open = MakeScene("open-water", 1), port = MakeScene("harbour", 1);
  double quick = 0, slow = 0, still = 0;
  for (double t = 0; t < 1.6; t += 0.2) {
    quick += Motion(*start, t);
    slow += Motion(*open, t);
    still += Motion(*port, t);
  }
  EXPECT_GT(quick, 1.5 * slow);
  EXPECT_GT(slow, 1.5 * still);
  EXPECT_GT(still, 0);
}

TEST(Scene, AnUnknownNameGetsTheNearest) {
  EXPECT_THAT(test::Complaint(Fault::kInput, [] { MakeScene("open-watr", 1); }), testing::HasSubstr("open-water"));
}

}  // namespace
}  // namespace kettle
