// SPDX-License-Identifier: Apache-2.0
#include "engine.h"

#include <gtest/gtest.h>

namespace standin {
namespace {

Profile TestProfile() {
  Profile profile;
  profile.session_limit = 2;
  profile.megapixels_per_second = {100, 90, 80, 70, 60, 50, 10};
  return profile;
}

TEST(Engine, TakesTheProfilesTimeForEachPicture) {
  Engine engine(TestProfile());
  EXPECT_EQ(engine.Book(0, 1000, 1000, 1), 10'000'000);            // a megapixel at 100 a second
  EXPECT_EQ(engine.Book(50'000'000, 1000, 1000, 7), 150'000'000);  // after a rest, at 10 a second
}

TEST(Engine, IsSharedInTheOrderOfArrival) {
  Engine engine(TestProfile());
  EXPECT_EQ(engine.Book(0, 1000, 1000, 1), 10'000'000);
  EXPECT_EQ(engine.Book(0, 1000, 1000, 1), 20'000'000) << "the second session waits for the first";
  EXPECT_EQ(engine.Book(5'000'000, 1000, 1000, 1), 30'000'000);
}

TEST(Engine, TakesNoMoreSessionsThanItsLimit) {
  Engine engine(TestProfile());
  EXPECT_TRUE(engine.Enter());
  EXPECT_TRUE(engine.Enter());
  EXPECT_FALSE(engine.Enter());
  engine.Leave();
  EXPECT_TRUE(engine.Enter());
}

}  // namespace
}  // namespace standin
