// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/picture_metrics.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "kettle/quality/kernels.h"

namespace kettle {

namespace {

double SquaredErrorOfRows(const PlaneView& a, const PlaneView& b, int from_x, int from_y, int to_y) {
  double error = 0;
  for (int y = from_y; y < to_y; ++y)
    error += static_cast<double>(kernels::SquaredError(a.row(y) + from_x, b.row(y) + from_x, a.width - from_x));
  return error;
}

// Windows overlap so far that some of them have the mean of all: within 5e-5 of it on the scenes. The more there are,
// and the less a scale weighs, the fewer do.
kernels::WindowSteps StepsAt(int scale, int shorter_side) {
  if (shorter_side < 128) return {1, 1};
  if (scale == 0) return {2, shorter_side < 600 ? 4 : 8};
  return {2, shorter_side < 600 || scale > 2 ? 1 : 2};
}

}  // namespace

double MeanSquaredError(const PlaneView& a, const PlaneView& b) {
  return SquaredErrorOfRows(a, b, 0, 0, a.height) / (static_cast<double>(a.width) * a.height);
}

LumaSimilarity CompareLuma(const PlaneView& a, const PlaneView& b) {
  const int columns = a.width / 4, rows = a.height / 4;
  kernels::BlockSums above(columns), current(columns);
  // What no whole block holds, right and below.
  double error = SquaredErrorOfRows(a, b, columns * 4, 0, rows * 4) + SquaredErrorOfRows(a, b, 0, rows * 4, a.height);
  double ssim = 0;
  for (int row = 0; row < rows; ++row) {
    std::swap(above, current);
    error += static_cast<double>(kernels::SumBlocks(a, b, row * 4, current));
    if (row > 0) ssim += kernels::SumSsim(above, current);
  }
  return {error / (static_cast<double>(a.width) * a.height), ssim / (static_cast<double>(columns - 1) * (rows - 1))};
}

double MsSsim(const PlaneView& a, const PlaneView& b) {
  constexpr double kWeights[] = {0.0448, 0.2856, 0.3001, 0.2363, 0.1333};
  int scales = 1;
  double weights = kWeights[0];
  while (scales < 5 && std::min(a.width, a.height) >> scales >= kernels::kGaussianTaps) weights += kWeights[scales++];

  // Fresh memory for each picture would cost more than the sums.
  thread_local std::array<kernels::FloatPlane, 4> halves_a, halves_b;
  double product = 1;
  for (int scale = 0; scale < scales; ++scale) {
    const auto at = static_cast<std::size_t>(scale);
    if (scale == 1) {
      kernels::Halve(a, halves_a[0]);
      kernels::Halve(b, halves_b[0]);
    } else if (scale > 1) {
      kernels::Halve(halves_a[at - 2], halves_a[at - 1]);
      kernels::Halve(halves_b[at - 2], halves_b[at - 1]);
    }
    const auto kind =
        scale + 1 < scales ? kernels::Similarity::kContrastStructure : kernels::Similarity::kWithLuminance;
    const kernels::WindowSteps steps = StepsAt(scale, std::min(a.width, a.height));
    const double similarity = scale == 0 ? kernels::GaussianSsim(a, b, kind, steps)
                                         : kernels::GaussianSsim(halves_a[at - 1], halves_b[at - 1], kind, steps);
    product *= std::pow(std::max(0.0, similarity), kWeights[scale] / weights);
  }
  return product;
}

double Blockiness(const PlaneView& plane) {
  constexpr int kBlock = kernels::kBlock;
  double all = 0, border = 0;
  for (int y = 0; y < plane.height; y += kBlock) {
    const kernels::NeighbourErrors errors = kernels::SumNeighbourErrors(plane, y);
    all += static_cast<double>(errors.all);
    border += static_cast<double>(errors.border);
  }
  const double width = plane.width, height = plane.height;
  const double borders = height * ((plane.width - 1) / kBlock) + width * ((plane.height - 1) / kBlock);
  const double pairs = height * (width - 1) + width * (height - 1);
  const double excess = border / borders - (all - border) / (pairs - borders);
  return excess > 0 ? excess * std::log2(kBlock) / std::log2(std::min(width, height)) : 0;
}

PictureMetrics Compare(const PictureView& reference, const PictureView& distorted) {
  PictureMetrics metrics;
  const LumaSimilarity luma = CompareLuma(reference[0], distorted[0]);
  metrics.mse_y = luma.mse;
  metrics.ssim_y = luma.ssim;
  metrics.mse_u = MeanSquaredError(reference[1], distorted[1]);
  metrics.mse_v = MeanSquaredError(reference[2], distorted[2]);
  return metrics;
}

double PsnrDb(double mean_squared_error) {
  if (mean_squared_error <= 0) return 100;
  return std::min(100.0, 10 * std::log10(255.0 * 255.0 / mean_squared_error));
}

}  // namespace kettle
