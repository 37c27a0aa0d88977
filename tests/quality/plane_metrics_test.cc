// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/plane_metrics.h"

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
PlaneMetrics ByDefinition(const Plane& a, const Plane& b) {
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

TEST(Compare, FollowsTheDefinitionAtAnySize) {
  const unsigned seed = 20261123;
  for (const auto& [width, height] : {std::pair{8, 8}, {9, 11}, {64, 36}, {67, 45}, {130, 18}}) {
    const Plane a = Noise(width, height, seed), b = Noise(width, height, seed + 1, &a),
                c = Noise(width, height, seed + 2);
    for (const Plane* other : {&a, &b, &c}) {
      const PlaneMetrics fast = Compare(a.view(), other->view()), slow = ByDefinition(a, *other);
      EXPECT_NEAR(fast.mean_squared_error, slow.mean_squared_error, 1e-9) << width << "x" << height;
      EXPECT_NEAR(fast.ssim, slow.ssim, 1e-9) << width << "x" << height;
    }
  }
}

TEST(Compare, TheSamePictureIsPerfect) {
  const Plane a = Noise(40, 40, 7);
  const PlaneMetrics metrics = Compare(a.view(), a.view());
  EXPECT_EQ(metrics.mean_squared_error, 0);
  EXPECT_NEAR(metrics.ssim, 1, 1e-12);
}

TEST(Compare, ReadsNothingPastTheWidth) {
  Plane a = Noise(40, 16, 3), b = a;
  for (int y = 0; y < 16; ++y) b.samples[static_cast<std::size_t>(y * 40 + 39)] = 0;  // outside a view of 36 columns
  const PlaneView left_a{a.samples.data(), 40, 36, 16}, left_b{b.samples.data(), 40, 36, 16};
  EXPECT_EQ(Compare(left_a, left_b).mean_squared_error, 0);
}

TEST(PsnrDb, HandCheckedValues) {
  EXPECT_DOUBLE_EQ(PsnrDb(0), 100);
  EXPECT_NEAR(PsnrDb(255.0 * 255.0), 0, 1e-12);
  EXPECT_NEAR(PsnrDb(1), 48.1308, 1e-4);
}

TEST(SsimDb, HandCheckedValues) {
  EXPECT_DOUBLE_EQ(SsimDb(1), 100);
  EXPECT_NEAR(SsimDb(0.9), 10, 1e-9);
  EXPECT_NEAR(SsimDb(0.99), 20, 1e-9);
}

}  // namespace
}  // namespace kettle
