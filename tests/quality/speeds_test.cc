// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/speeds.h"

#include <random>

#include "support.h"

namespace kettle {
namespace {

// Stones of a few pixels of any grey, moved by x, y; `contrast` of 1 or less.
FramePtr Stones(FrameSize size, int moved_x, int moved_y, double contrast = 1, unsigned seed = 1) {
  constexpr int kStone = 4, kMargin = 128;
  const int columns = (size.width + 2 * kMargin) / kStone, rows = (size.height + 2 * kMargin) / kStone;
  std::mt19937 random(seed);
  std::vector<int> greys(static_cast<std::size_t>(columns * rows));
  for (int& grey : greys) grey = static_cast<int>(random() % 200);
  FramePtr picture = NewPicture(size);
  for (int y = 0; y < size.height; ++y)
    for (int x = 0; x < size.width; ++x) {
      const int column = (x - moved_x + kMargin) / kStone, row = (y - moved_y + kMargin) / kStone;
      const int grey = greys[static_cast<std::size_t>(row * columns + column)];
      picture->data[0][y * picture->linesize[0] + x] = static_cast<std::uint8_t>(20 + grey * contrast);
    }
  return picture;
}

std::vector<double> Moved(const FramePtr& earlier, const FramePtr& later) {
  return DistancesMoved(LumaOf(*earlier), LumaOf(*later));
}

TEST(DistancesMoved, AreThoseOfThePicture) {
  for (const FrameSize size : {FrameSize{320, 180}, FrameSize{1280, 720}}) {
    const std::vector<double> moved = Moved(Stones(size, 0, 0), Stones(size, 9, -4));
    ASSERT_GT(moved.size(), 40u) << size.width;
    EXPECT_NEAR(Spread(moved, 1).front(), 9.85, 0.01) << size.width;
  }
}

TEST(DistancesMoved, DoNotGoByContrast) {
  const FrameSize size{640, 360};
  const auto strong = Moved(Stones(size, 0, 0), Stones(size, 6, 0));
  const auto weak = Moved(Stones(size, 0, 0, 0.2), Stones(size, 6, 0, 0.2));
  EXPECT_EQ(Spread(strong, 5), Spread(weak, 5));
}

TEST(DistancesMoved, AreNoneOfAStillPicture) {
  const FramePtr still = Stones({640, 360}, 0, 0);
  EXPECT_EQ(Spread(Moved(still, still), 3), (std::vector<double>{0, 0, 0}));
}

TEST(DistancesMoved, TellNothingWhereThereIsNothingToFollow) {
  EXPECT_TRUE(Moved(Stones({640, 360}, 0, 0, 0), Stones({640, 360}, 9, 0, 0)).empty()) << "a plain wall";
  EXPECT_LT(Moved(Stones({640, 360}, 0, 0, 1, 1), Stones({640, 360}, 0, 0, 1, 2)).size(), 20u) << "a cut";
}

TEST(DistancesMoved, TakePicturesOfAnySize) {
  EXPECT_TRUE(Moved(Stones({8, 4}, 0, 0), Stones({8, 4}, 0, 0)).empty());
  EXPECT_FALSE(Moved(Stones({16, 16}, 0, 0), Stones({16, 16}, 0, 0)).empty());
}

TEST(Spread, GivesTheMiddlesOfEqualParts) {
  EXPECT_EQ(Spread({3, 1, 2}, 1), (std::vector<double>{2}));
  EXPECT_TRUE(Spread({}, 4).empty());
}

}  // namespace
}  // namespace kettle
