// SPDX-License-Identifier: Apache-2.0
#include "report/looks.h"

#include "support.h"

namespace kettle {
namespace {

TEST(Looks, SaysInWordsWhatTheNumberMeans) {
  EXPECT_EQ(Looks(97), "looks like the source (97 of 100)");
  EXPECT_EQ(Looks(70), "looks very good (70 of 100)");
  EXPECT_EQ(Looks(29.7), "looks fair (30 of 100)");
  EXPECT_EQ(Looks(64.2), "looks good (64 of 100)");
  EXPECT_EQ(Looks(41), "looks fair (41 of 100)");
  EXPECT_EQ(Looks(29), "looks poor (29 of 100)");
  EXPECT_EQ(Looks(-12), "looks ruined (-12 of 100)");
  EXPECT_EQ(Looks(64.2, 1.4), "looks good (64 of 100, ±2)");
  EXPECT_EQ(Points(64.25), "64.2");
}

}  // namespace
}  // namespace kettle
