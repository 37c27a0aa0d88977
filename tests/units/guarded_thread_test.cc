// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/guarded_thread.h"

#include <gtest/gtest.h>

#include <stdexcept>

namespace kettle {
namespace {

TEST(GuardedThread, WhatItThrowsReachesWhoeverJoinsIt) {
  GuardedThread thread([] { throw std::length_error("too long"); });
  EXPECT_THROW(thread.Join(), std::length_error);
  EXPECT_TRUE(thread.failed());
  EXPECT_NO_THROW(thread.Join()) << "once";
}

TEST(GuardedThread, OneThatNobodyJoinsEndsQuietly) {
  bool ran = false;
  {
    GuardedThread thread([&] {
      ran = true;
      throw 7;
    });
  }
  EXPECT_TRUE(ran);
  GuardedThread none;
  EXPECT_NO_THROW(none.Join());
}

}  // namespace
}  // namespace kettle
