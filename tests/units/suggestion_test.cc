// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/suggestion.h"

#include <gtest/gtest.h>

namespace kettle {
namespace {

TEST(Nearest, FindsTheNearestName) {
  const std::vector<std::string> names = {"ultrafast", "superfast", "veryfast", "fast"};
  EXPECT_EQ(Nearest("fastt", names), "fast");
  EXPECT_EQ(Nearest("very-fast", names), "veryfast");
  EXPECT_EQ(Nearest("zzzzzzzz", names), "");
  EXPECT_EQ(Nearest("fast", {}), "");
}

TEST(Suggestion, ListsWhatIsKnownWhenNothingIsNear) {
  EXPECT_EQ(Suggestion("wold", {"world"}), "; did you mean \"world\"?");
  EXPECT_EQ(Suggestion("qqqq", {"ab", "cd"}), "; known are ab, cd");
  EXPECT_EQ(Suggestion("x", {}), "");
}

}  // namespace
}  // namespace kettle
