// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/colour_error.h"

#include <gtest/gtest.h>

#include <array>
#include <vector>

namespace kettle {
namespace {

using Matrix = ColourCoding::Matrix;

// A picture of one colour.
struct OneColour {
  std::vector<std::uint8_t> luma, cb, cr;
  OneColour(std::uint8_t y, std::uint8_t b, std::uint8_t r) : luma(8 * 4, y), cb(4 * 2, b), cr(4 * 2, r) {}
  PictureView view() const {
    return {PlaneView{luma.data(), 8, 8, 4}, PlaneView{cb.data(), 4, 4, 2}, PlaneView{cr.data(), 4, 4, 2}};
  }
};

TEST(ErrorIfTakenFor, WhatItIsIsNoError) {
  const OneColour picture(90, 60, 200);
  for (const ColourCoding coding :
       {ColourCoding{Matrix::kBt601, false}, {Matrix::kBt709, true}, {Matrix::kBt2020, false}})
    EXPECT_EQ(ErrorIfTakenFor(picture.view(), coding, coding).most, 0);
}

TEST(ErrorIfTakenFor, GreyMindsTheRangeOnly) {
  const OneColour grey(126, 128, 128);
  EXPECT_NEAR(ErrorIfTakenFor(grey.view(), {Matrix::kBt709, false}, {Matrix::kBt601, false}).most, 0, 1e-9);
  // 255 * 110 / 219 = 128.08 for limited range; 126 for full range.
  const ColourError error = ErrorIfTakenFor(grey.view(), {Matrix::kBt709, false}, {Matrix::kBt709, true});
  EXPECT_NEAR(error.mean, 2.082, 0.001);
  EXPECT_NEAR(error.most, 2.082, 0.001);
}

TEST(ErrorIfTakenFor, HandCheckedRed) {
  // Of BT.709 limited 0.5 + 1.5748 * 32 / 224 in red; BT.601 takes it for 0.5 + 1.402 * 32 / 224: 6.295 levels less.
  // Green: 0.5 - 0.2126 / 0.7152 * 0.22497 = 0.43313, and 0.5 - 0.299 / 0.587 * 0.20029 = 0.39798: 8.962 less.
  const OneColour red(126, 128, 160);
  const ColourError error = ErrorIfTakenFor(red.view(), {Matrix::kBt709, false}, {Matrix::kBt601, false});
  EXPECT_NEAR(error.most, 8.962, 0.02);
  EXPECT_NEAR(error.mean, (6.295 + 8.962 + 0) / 3, 0.02);
}

TEST(ErrorIfTakenFor, ClipsAsDisplaysDo) {
  const OneColour white(235, 128, 128);
  EXPECT_EQ(ErrorIfTakenFor(OneColour(255, 128, 128).view(), {Matrix::kBt709, false}, {Matrix::kBt709, true}).most, 0);
  EXPECT_NEAR(ErrorIfTakenFor(white.view(), {Matrix::kBt709, false}, {Matrix::kBt709, true}).most, 20, 1e-9);
}

}  // namespace
}  // namespace kettle
