// SPDX-License-Identifier: Apache-2.0
// The metrics' inner loops, compiled for every vector instruction set that Highway knows of this
// processor family and chosen when the program runs.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <vector>

#include "kettle/media/picture_view.h"

namespace kettle::kernels {

// The sums of the 4x4 blocks of four rows, one entry a block: of one picture, of the other, of both
// pictures' squares together, of the products. Exact: 64 of them stay below 2^24.
struct BlockSums {
  explicit BlockSums(int blocks) : a(static_cast<std::size_t>(blocks)), b(a), squares(a), products(a) {}
  std::vector<float> a, b, squares, products;
};

// Sums the rows from `y` to `y` + 3 of two planes of the same size; gives the blocks' squared error.
std::int64_t SumBlocks(const PlaneView& a, const PlaneView& b, int y, BlockSums& sums);

// The sum of SSIM over the 8x8 windows that two neighbouring rows of blocks make.
double SumSsim(const BlockSums& above, const BlockSums& below);

// The sum of squared differences of `count` samples.
std::int64_t SquaredError(const std::uint8_t* a, const std::uint8_t* b, int count);

inline constexpr int kBlock = 8;

// Squared differences of neighbours: of all pairs, and of those across the borders of blocks of eight.
struct NeighbourErrors {
  std::int64_t all = 0, border = 0;
};
// Of each sample of the rows from `y`, a multiple of eight, to `y` + 7 with its right and its upper neighbour.
NeighbourErrors SumNeighbourErrors(const PlaneView& plane, int y);

// A plane of samples around zero: 8-bit samples less 128.
struct FloatPlane {
  int width = 0, height = 0;
  std::vector<float> samples;
  const float* row(int y) const { return samples.data() + static_cast<std::ptrdiff_t>(y) * width; }
};

// Means of 2x2 samples; an odd last row or column is left out.
void Halve(const PlaneView& plane, FloatPlane& half);
void Halve(const FloatPlane& plane, FloatPlane& half);

inline constexpr int kGaussianTaps = 11;

// How far apart windows stand: across 1 or 2 samples, down any number.
struct WindowSteps {
  int across = 1, down = 1;
};

enum class Similarity { kContrastStructure, kWithLuminance };

// The mean over the 11x11 Gaussian windows (sigma 1.5) that lie inside the planes: of contrast times structure, or of
// that times luminance, which is SSIM.
double GaussianSsim(const PlaneView& a, const PlaneView& b, Similarity kind, WindowSteps steps);
double GaussianSsim(const FloatPlane& a, const FloatPlane& b, Similarity kind, WindowSteps steps);

}  // namespace kettle::kernels
