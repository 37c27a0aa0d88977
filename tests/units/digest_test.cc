// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/digest.h"

#include <gtest/gtest.h>

namespace kettle {
namespace {

TEST(HexDigest, IsFnv1a) {
  // The reference values of the FNV-1a definition, 64 bit.
  EXPECT_EQ(HexDigest(""), "cbf29ce484222325");
  EXPECT_EQ(HexDigest("a"), "af63dc4c8601ec8c");
  EXPECT_EQ(HexDigest("foobar"), "85944171f73967e8");
}

}  // namespace
}  // namespace kettle
