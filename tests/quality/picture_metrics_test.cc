// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/picture_metrics.h"

#include <cmath>
#include <random>
#include <vector>

#include "support.h"

namespace kettle {
namespace {

struct Plane {
  int width, height;
  std::vector<std::uint8_t> samples;
  PlaneView view() const { return {samples.data(), width, width, height}; }
};

Plane Noise(int width, int height, unsigned seed, const Plane* near = nullptr, int spread = 20) {
  std::mt19937 random(seed);
  Plane plane{width, height, std::vector<std::uint8_t>(static_cast<std::size_t>(width * height))};
  for (std::size_t i = 0; i < plane.samples.size(); ++i) {
    const int base = near ? near->samples[i] : static_cast<int>(random() % 256);
    const int change = near ? static_cast<int>(random() % static_cast<unsigned>(2 * spread + 1)) - spread : 0;
    plane.samples[i] = static_cast<std::uint8_t>(std::clamp(base + change, 0, 255));
  }
  return plane;
}

// The definition, window by window, without any sharing of sums.
LumaSimilarity ByDefinition(const Plane& a, const Plane& b) {
  double error = 0, ssim = 0;
  int windows = 0;
  for (std::size_t i = 0; i < a.samples.size(); ++i) error += std::pow(a.samples[i] - b.samples[i], 2);
  for (int y = 0; y + 8 <= a.height / 4 * 4; y += 4)
    for (int x = 0; x + 8 <= a.width / 4 * 4; x += 4, ++windows) {
      double ma = 0, mb = 0, va = 0, vb = 0, cov = 0;
      const auto at = [&](const Plane& p, int i) {
        return static_cast<double>(p.samples[static_cast<std::size_t>((y + i / 8) * p.width + x + i % 8)]);
      };
      for (int i = 0; i < 64; ++i) ma += at(a, i) / 64, mb += at(b, i) / 64;
      for (int i = 0; i < 64; ++i) {
        va += std::pow(at(a, i) - ma, 2) / 63;
        vb += std::pow(at(b, i) - mb, 2) / 63;
        cov += (at(a, i) - ma) * (at(b, i) - mb) / 63;
      }
      const double c1 = std::pow(0.01 * 255, 2), c2 = std::pow(0.03 * 255, 2);
      ssim += (2 * ma * mb + c1) * (2 * cov + c2) / ((ma * ma + mb * mb + c1) * (va + vb + c2));
    }
  return {error / static_cast<double>(a.samples.size()), ssim / windows};
}

TEST(CompareLuma, FollowsTheDefinitionAtAnySize) {
  const unsigned seed = 20261123;
  for (const auto& [width, height] : {std::pair{8, 8}, {9, 11}, {64, 36}, {67, 45}, {130, 18}}) {
    const Plane a = Noise(width, height, seed), b = Noise(width, height, seed + 1, &a),
                c = Noise(width, height, seed + 2);
    for (const Plane* other : {&a, &b, &c}) {
      const LumaSimilarity fast = CompareLuma(a.view(), other->view()), slow = ByDefinition(a, *other);
      EXPECT_NEAR(fast.mse, slow.mse, 1e-9 * (1 + slow.mse)) << width << "x" << height;
      EXPECT_NEAR(fast.ssim, slow.ssim, 1e-5) << width << "x" << height;
    }
  }
}

TEST(CompareLuma, TheSamePictureIsPerfect) {
  const Plane a = Noise(40, 40, 7);
  const LumaSimilarity metrics = CompareLuma(a.view(), a.view());
  EXPECT_EQ(metrics.mse, 0);
  EXPECT_NEAR(metrics.ssim, 1, 1e-6);
}

TEST(CompareLuma, ReadsNothingPastTheWidth) {
  Plane a = Noise(40, 16, 3), b = a;
  for (int y = 0; y < 16; ++y) b.samples[static_cast<std::size_t>(y * 40 + 39)] = 0;  // outside a view of 36 columns
  const PlaneView left_a{a.samples.data(), 40, 36, 16}, left_b{b.samples.data(), 40, 36, 16};
  EXPECT_EQ(CompareLuma(left_a, left_b).mse, 0);
}

TEST(MsSsim, OfTheSamePictureIsOne) {
  const Plane a = Noise(200, 190, 7);
  EXPECT_NEAR(MsSsim(a.view(), a.view()), 1, 1e-5);
}

TEST(MsSsim, FallsAsNoiseGrowsAtAnySize) {
  for (const auto& [width, height] : {std::pair{11, 11}, {64, 64}, {177, 180}, {333, 190}}) {
    Plane a = Noise(width, height, 5);
    double last = 1.0001;
    for (const int spread : {0, 10, 40, 160}) {
      const double now = MsSsim(a.view(), Noise(width, height, 6, &a, spread).view());
      EXPECT_LT(now, last) << width << "x" << height << " spread " << spread;
      last = now;
    }
  }
}

TEST(Blockiness, SeesBlocksOfEightAndNothingElse) {
  Plane flat{64, 48, std::vector<std::uint8_t>(64 * 48, 100)}, blocks = flat, shifted = flat;
  for (int y = 0; y < 48; ++y)
    for (int x = 0; x < 64; ++x) {
      const auto at = static_cast<std::size_t>(y * 64 + x);
      blocks.samples[at] = static_cast<std::uint8_t>((x / 8 + y / 8) % 2 ? 100 : 110);
      shifted.samples[at] = static_cast<std::uint8_t>(((x + 4) / 8 + (y + 4) / 8) % 2 ? 100 : 110);
    }
  EXPECT_EQ(Blockiness(flat.view()), 0);
  // Every pair across a border differs by 10, no other pair does; 3 = log2(8), of 48 lines.
  EXPECT_NEAR(Blockiness(blocks.view()), 100 * 3 / std::log2(48), 1e-9);
  EXPECT_EQ(Blockiness(shifted.view()), 0) << "edges inside blocks are the picture's own";
  EXPECT_LT(Blockiness(Noise(64, 48, 3).view()), 0.05 * 255 * 255 / 6);
}

TEST(MeanSquaredError, CountsEverySample) {
  Plane a = Noise(37, 5, 3), b = a;
  b.samples.back() = static_cast<std::uint8_t>(a.samples.back() ^ 4);
  EXPECT_DOUBLE_EQ(MeanSquaredError(a.view(), b.view()), 16.0 / (37 * 5));
}

TEST(PsnrDb, HandCheckedValues) {
  EXPECT_DOUBLE_EQ(PsnrDb(0), 100);
  EXPECT_NEAR(PsnrDb(255.0 * 255.0), 0, 1e-12);
  EXPECT_NEAR(PsnrDb(1), 48.1308, 1e-4);
}

}  // namespace
}  // namespace kettle
