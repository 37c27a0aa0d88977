// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/digest.h"

#include <gtest/gtest.h>

namespace kettle {
namespace {

TEST(HexDigest, IsTheBeginningOfSha256) {
  EXPECT_EQ(HexDigest(""), "e3b0c44298fc1c14");
  EXPECT_EQ(HexDigest("abc"), "ba7816bf8f01cfea") << "FIPS 180's first example";
}

}  // namespace
}  // namespace kettle
