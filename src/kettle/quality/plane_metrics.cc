// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/plane_metrics.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace kettle {

namespace {

// Sums over one 4x4 block; 16 samples of 8 bits fit easily.
struct BlockSums {
  std::int32_t a = 0, b = 0, squares = 0, product = 0;  // squares: of both pictures together
};

// The sums of every 4x4 block in four rows. The columns are added up first, in loops that the compiler
// turns into SIMD, and then four neighbours each.
class BlockRow {
 public:
  explicit BlockRow(int width)
      : width_(width), a_(static_cast<std::size_t>(width)), b_(a_), squares_(a_), product_(a_) {}

  void Sum(const PlaneView& a, const PlaneView& b, int y, std::vector<BlockSums>& blocks) {
    std::fill(a_.begin(), a_.end(), 0);
    std::fill(b_.begin(), b_.end(), 0);
    std::fill(squares_.begin(), squares_.end(), 0);
    std::fill(product_.begin(), product_.end(), 0);
    for (int row = y; row < y + 4; ++row) AddRow(a.data + row * a.stride, b.data + row * b.stride);
    for (std::size_t i = 0; i < blocks.size(); ++i) {
      const std::size_t x = i * 4;
      blocks[i] = {a_[x] + a_[x + 1] + a_[x + 2] + a_[x + 3], b_[x] + b_[x + 1] + b_[x + 2] + b_[x + 3],
                   squares_[x] + squares_[x + 1] + squares_[x + 2] + squares_[x + 3],
                   product_[x] + product_[x + 1] + product_[x + 2] + product_[x + 3]};
    }
  }

 private:
  void AddRow(const std::uint8_t* __restrict a, const std::uint8_t* __restrict b) {
    std::int32_t* __restrict sum_a = a_.data();
    std::int32_t* __restrict sum_b = b_.data();
    std::int32_t* __restrict squares = squares_.data();
    std::int32_t* __restrict product = product_.data();
    for (int x = 0; x < width_; ++x) {
      const std::int32_t s = a[x], t = b[x];
      sum_a[x] += s;
      sum_b[x] += t;
      squares[x] += s * s + t * t;
      product[x] += s * t;
    }
  }

  int width_;
  std::vector<std::int32_t> a_, b_, squares_, product_;
};

double WindowSsim(const BlockSums& p, const BlockSums& q, const BlockSums& r, const BlockSums& s) {
  constexpr double kSamples = 64;
  constexpr double kC1 = 0.01 * 255 * 0.01 * 255, kC2 = 0.03 * 255 * 0.03 * 255;
  const double sum_a = p.a + q.a + r.a + s.a, sum_b = p.b + q.b + r.b + s.b;
  const double squares = static_cast<double>(p.squares) + q.squares + r.squares + s.squares;
  const double product = static_cast<double>(p.product) + q.product + r.product + s.product;
  const double mean_a = sum_a / kSamples, mean_b = sum_b / kSamples;
  const double variances = (squares - sum_a * mean_a - sum_b * mean_b) / (kSamples - 1);
  const double covariance = (product - sum_a * mean_b) / (kSamples - 1);
  return (2 * mean_a * mean_b + kC1) * (2 * covariance + kC2) /
         ((mean_a * mean_a + mean_b * mean_b + kC1) * (variances + kC2));
}

// Squared errors of the samples that no 4x4 block holds: right of `from_x`, or below `from_y`.
double RestError(const PlaneView& a, const PlaneView& b, int from_x, int from_y) {
  double error = 0;
  for (int y = 0; y < a.height; ++y)
    for (int x = y < from_y ? from_x : 0; x < a.width; ++x) {
      const int difference = a.data[y * a.stride + x] - b.data[y * b.stride + x];
      error += difference * difference;
    }
  return error;
}

}  // namespace

PlaneMetrics Compare(const PlaneView& a, const PlaneView& b) {
  const int columns = a.width / 4, rows = a.height / 4;
  BlockRow block_row(a.width);
  std::vector<BlockSums> above(static_cast<std::size_t>(columns)), current(above);
  double error = RestError(a, b, columns * 4, rows * 4), ssim = 0;
  for (int row = 0; row < rows; ++row) {
    std::swap(above, current);
    block_row.Sum(a, b, row * 4, current);
    for (const BlockSums& block : current) error += block.squares - 2.0 * block.product;
    if (row == 0) continue;
    for (std::size_t i = 0; i + 1 < current.size(); ++i)
      ssim += WindowSsim(above[i], above[i + 1], current[i], current[i + 1]);
  }
  const double windows = static_cast<double>(columns - 1) * (rows - 1);
  return {error / (static_cast<double>(a.width) * a.height), ssim / windows};
}

double PsnrDb(double mean_squared_error) {
  if (mean_squared_error <= 0) return 100;
  return std::min(100.0, 10 * std::log10(255.0 * 255.0 / mean_squared_error));
}

double SsimDb(double ssim) { return ssim >= 1 ? 100 : std::min(100.0, -10 * std::log10(1 - ssim)); }

}  // namespace kettle
