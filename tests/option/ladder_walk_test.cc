// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/ladder_walk.h"

#include <gtest/gtest.h>

#include <cmath>

namespace kettle {
namespace {

TEST(LastHolding, FindsTheEdgeWithFewQuestions) {
  for (int count = 0; count <= 12; ++count)
    for (int edge = -1; edge < count; ++edge)
      for (int guess = -1; guess < count; ++guess) {
        int asked = 0;
        const auto holds = [&](int i) {
          ++asked;
          EXPECT_TRUE(i >= 0 && i < count);
          return i <= edge;
        };
        EXPECT_EQ(LastHolding(count, holds, guess), edge) << count << " presets, guess " << guess;
        if (guess >= 0 && (guess == edge || guess == edge + 1)) {
          EXPECT_LE(asked, 2) << "a guess that is right";
        }
        EXPECT_LE(asked, (guess < 0 ? 1 : 2) + static_cast<int>(std::ceil(std::log2(count + 1))));
      }
}

TEST(LastHolding, NeverAsksTwice) {
  std::vector<int> asked(9, 0);
  LastHolding(
      9, [&](int i) { return ++asked[static_cast<std::size_t>(i)], i <= 5; }, 5);
  for (const int times : asked) EXPECT_LE(times, 1);
}

}  // namespace
}  // namespace kettle
