// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/canvas.h"

#include <cstring>

#include "kettle/footage/font.h"
#include "kettle/footage/texture.h"
#include "support.h"

namespace kettle {
namespace {

constexpr Colour kWhite{235, 128, 128};

class CanvasTest : public testing::Test {
 protected:
  CanvasTest() : picture_(NewPicture({64, 64})) {
    for (int plane = 0; plane < 3; ++plane)
      for (int y = 0; y < (plane ? 32 : 64); ++y)
        std::memset(picture_->data[plane] + y * picture_->linesize[plane], plane ? 128 : 16, plane ? 32 : 64);
  }
  int Luma(int x, int y) const { return picture_->data[0][y * picture_->linesize[0] + x]; }
  double Covered() const {
    double sum = 0;
    for (int y = 0; y < 64; ++y)
      for (int x = 0; x < 64; ++x) sum += (Luma(x, y) - 16) / (235.0 - 16);
    return sum;
  }
  FramePtr picture_;
};

TEST_F(CanvasTest, APolygonCoversItsArea) {
  Canvas(*picture_).Fill({{10, 10}, {30, 10}, {30, 40}, {10, 40}}, kWhite);
  EXPECT_EQ(Luma(20, 20), 235);
  EXPECT_EQ(Luma(5, 20), 16);
  EXPECT_NEAR(Covered(), 600, 10);
}

TEST_F(CanvasTest, TheTurnOfThePolygonDoesNotMatter) {
  Canvas(*picture_).Fill({{10, 40}, {30, 40}, {30, 10}, {10, 10}}, kWhite);
  EXPECT_NEAR(Covered(), 600, 10);
}

TEST_F(CanvasTest, WhatLiesOutsideIsCutOff) {
  Canvas canvas(*picture_);
  canvas.Fill({{-50, -50}, {10, -50}, {10, 10}, {-50, 10}}, kWhite);
  canvas.Dot({70, 70}, 20, kWhite, 1);
  canvas.Dot({-100, 200}, 5, kWhite, 1);
  canvas.Text({60, 60}, 3, "EDGE", kWhite);
  EXPECT_EQ(Luma(5, 5), 235);
  EXPECT_EQ(Luma(63, 63), 235);
}

TEST_F(CanvasTest, OpacityMixes) {
  Canvas(*picture_).Fill({{0, 0}, {64, 0}, {64, 64}, {0, 64}}, kWhite, 0.5f);
  EXPECT_NEAR(Luma(32, 32), 126, 1);
}

TEST_F(CanvasTest, TextIsWhereItIsPut) {
  Canvas canvas(*picture_);
  canvas.Text({2, 2}, 2, "I", kWhite);
  EXPECT_EQ(Luma(2 + 4, 2 + 6), 235) << "the letter's stem";
  EXPECT_EQ(Luma(40, 40), 16);
  EXPECT_EQ(Canvas::TextWidth(2, "ABC"), 36);
}

TEST(Glyph, UnknownCharactersAreBlank) {
  EXPECT_EQ(Glyph('?'), (std::array<std::uint8_t, 7>{}));
  EXPECT_NE(Glyph('A'), Glyph('B'));
  EXPECT_NE(Glyph('0'), Glyph('8'));
}

TEST(Texture, RepeatsWithoutASeam) {
  const Texture texture(5);
  for (const float v : {0.0f, 3.5f, 77.25f}) {
    EXPECT_NEAR(texture.Sample(v, 9), texture.Sample(v + Texture::kSide, 9), 0.01);
    EXPECT_NEAR(texture.Sample(v, 9), texture.Sample(v - Texture::kSide, 9 - Texture::kSide), 0.01);
  }
}

// With an amplitude spectrum of 1/f, every octave has as much contrast as the next.
TEST(Texture, HasDetailAtEveryScale) {
  const Texture texture(5);
  for (const int step : {2, 8, 32, 128}) {
    double difference = 0;
    for (int i = 0; i < 4000; ++i) {
      const auto u = static_cast<float>(i * 37 % 509), v = static_cast<float>(i * 91 % 499);
      difference += std::abs(texture.Sample(u, v) - texture.Sample(u + static_cast<float>(step), v));
    }
    EXPECT_GT(difference / 4000, 6) << "at " << step << " texels";
  }
}

}  // namespace
}  // namespace kettle
