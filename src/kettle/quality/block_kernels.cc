// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/kernels.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "kettle/quality/block_kernels.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "kettle/quality/samples-inl.h"

HWY_BEFORE_NAMESPACE();
namespace kettle::kernels {
namespace HWY_NAMESPACE {

// Each four neighbours of four vectors added up, in order.
HWY_INLINE V SumFours(F d, V v0, V v1, V v2, V v3) {
  const auto pairs = [&](V lower, V upper) { return hn::Add(Evens(d, lower, upper), Odds(d, lower, upper)); };
  return pairs(pairs(v0, v1), pairs(v2, v3));
}

void SumBlocksT(const PlaneView& a, const PlaneView& b, int y, BlockSums& sums) {
  const F d;
  const int lanes = static_cast<int>(hn::Lanes(d)), blocks = static_cast<int>(sums.a.size());
  int block = 0;
  for (; block + lanes <= blocks; block += lanes) {
    V sum_a[4], sum_b[4], squares[4], products[4];
    for (int i = 0; i < 4; ++i) {
      sum_a[i] = sum_b[i] = squares[i] = products[i] = hn::Zero(d);
      for (int row = 0; row < 4; ++row) {
        const int x = 4 * block + i * lanes;
        const V s = LoadSamples(d, a.row(y + row) + x), t = LoadSamples(d, b.row(y + row) + x);
        sum_a[i] = hn::Add(sum_a[i], s);
        sum_b[i] = hn::Add(sum_b[i], t);
        squares[i] = hn::MulAdd(t, t, hn::MulAdd(s, s, squares[i]));
        products[i] = hn::MulAdd(s, t, products[i]);
      }
    }
    hn::StoreU(SumFours(d, sum_a[0], sum_a[1], sum_a[2], sum_a[3]), d, &sums.a[block]);
    hn::StoreU(SumFours(d, sum_b[0], sum_b[1], sum_b[2], sum_b[3]), d, &sums.b[block]);
    hn::StoreU(SumFours(d, squares[0], squares[1], squares[2], squares[3]), d, &sums.squares[block]);
    hn::StoreU(SumFours(d, products[0], products[1], products[2], products[3]), d, &sums.products[block]);
  }
  for (; block < blocks; ++block) {
    int sum_a = 0, sum_b = 0, squares = 0, products = 0;
    for (int i = 0; i < 16; ++i) {
      const int s = a.row(y + i / 4)[4 * block + i % 4], t = b.row(y + i / 4)[4 * block + i % 4];
      sum_a += s;
      sum_b += t;
      squares += s * s + t * t;
      products += s * t;
    }
    sums.a[block] = static_cast<float>(sum_a);
    sums.b[block] = static_cast<float>(sum_b);
    sums.squares[block] = static_cast<float>(squares);
    sums.products[block] = static_cast<float>(products);
  }
}

// SSIM of the windows from `i` on, as many as the vector has lanes.
template <typename D>
HWY_INLINE hn::Vec<D> WindowSsim(D d, const BlockSums& above, const BlockSums& below, int i) {
  const auto window = [&](const std::vector<float>& p, const std::vector<float>& q) {
    return hn::Add(hn::Add(hn::LoadU(d, &p[i]), hn::LoadU(d, &p[i + 1])),
                   hn::Add(hn::LoadU(d, &q[i]), hn::LoadU(d, &q[i + 1])));
  };
  const auto sum_a = window(above.a, below.a), sum_b = window(above.b, below.b);
  const auto squares = window(above.squares, below.squares), products = window(above.products, below.products);
  constexpr float kSamples = 64;
  const auto mean_a = hn::Mul(sum_a, hn::Set(d, 1 / kSamples)), mean_b = hn::Mul(sum_b, hn::Set(d, 1 / kSamples));
  const auto unbiased = hn::Set(d, 1 / (kSamples - 1));
  const auto variances = hn::Mul(hn::NegMulAdd(sum_b, mean_b, hn::NegMulAdd(sum_a, mean_a, squares)), unbiased);
  const auto covariance = hn::Mul(hn::NegMulAdd(sum_a, mean_b, products), unbiased);
  const auto c1 = hn::Set(d, kC1), c2 = hn::Set(d, kC2), two = hn::Set(d, 2.0f);
  const auto above_line = hn::Mul(hn::MulAdd(hn::Mul(two, mean_a), mean_b, c1), hn::MulAdd(two, covariance, c2));
  const auto below_line = hn::Mul(hn::MulAdd(mean_a, mean_a, hn::MulAdd(mean_b, mean_b, c1)), hn::Add(variances, c2));
  return hn::Div(above_line, below_line);
}

double SumSsimT(const BlockSums& above, const BlockSums& below) {
  const F d;
  const int lanes = static_cast<int>(hn::Lanes(d)), windows = static_cast<int>(above.a.size()) - 1;
  V sum = hn::Zero(d);
  int i = 0;
  for (; i + lanes <= windows; i += lanes) sum = hn::Add(sum, WindowSsim(d, above, below, i));
  double total = hn::GetLane(hn::SumOfLanes(d, sum));
  const hn::CappedTag<float, 1> one;
  for (; i < windows; ++i) total += hn::GetLane(WindowSsim(one, above, below, i));
  return total;
}

std::int64_t SquaredErrorT(const std::uint8_t* a, const std::uint8_t* b, int count) {
  const hn::ScalableTag<std::int16_t> d16;
  const hn::RepartitionToWide<decltype(d16)> d32;
  const hn::Rebind<std::uint8_t, decltype(d16)> d8;
  const int lanes = static_cast<int>(hn::Lanes(d16));
  auto sum0 = hn::Zero(d32), sum1 = hn::Zero(d32);
  int i = 0;
  for (; i + lanes <= count; i += lanes) {
    const auto difference = hn::Sub(hn::PromoteTo(d16, hn::LoadU(d8, a + i)), hn::PromoteTo(d16, hn::LoadU(d8, b + i)));
    sum0 = hn::ReorderWidenMulAccumulate(d32, difference, difference, sum0, sum1);
  }
  std::int64_t total = hn::GetLane(hn::SumOfLanes(d32, hn::Add(sum0, sum1)));
  for (; i < count; ++i) total += (a[i] - b[i]) * (a[i] - b[i]);
  return total;
}

NeighbourErrors SumNeighbourErrorsT(const std::uint8_t* row, int count) {
  constexpr int kBlock = 8;
  NeighbourErrors errors;
  int x = 0;
  const hn::ScalableTag<std::int16_t> d16;
  const int lanes = static_cast<int>(hn::Lanes(d16));
  if (lanes % kBlock == 0) {
    const hn::RepartitionToWide<decltype(d16)> d32;
    const hn::Rebind<std::uint8_t, decltype(d16)> d8;
    // Pair x is of samples x and x + 1: the last one of each eight spans a border.
    const auto last = hn::Eq(hn::And(hn::Iota(d16, 0), hn::Set(d16, kBlock - 1)), hn::Set(d16, kBlock - 1));
    auto all0 = hn::Zero(d32), all1 = hn::Zero(d32), border0 = hn::Zero(d32), border1 = hn::Zero(d32);
    for (; x + lanes < count; x += lanes) {
      const auto difference =
          hn::Sub(hn::PromoteTo(d16, hn::LoadU(d8, row + x)), hn::PromoteTo(d16, hn::LoadU(d8, row + x + 1)));
      const auto at_border = hn::IfThenElseZero(last, difference);
      all0 = hn::ReorderWidenMulAccumulate(d32, difference, difference, all0, all1);
      border0 = hn::ReorderWidenMulAccumulate(d32, at_border, at_border, border0, border1);
    }
    errors.all = hn::GetLane(hn::SumOfLanes(d32, hn::Add(all0, all1)));
    errors.border = hn::GetLane(hn::SumOfLanes(d32, hn::Add(border0, border1)));
  }
  for (; x + 1 < count; ++x) {
    const int error = (row[x] - row[x + 1]) * (row[x] - row[x + 1]);
    errors.all += error;
    if ((x + 1) % kBlock == 0) errors.border += error;
  }
  return errors;
}

}  // namespace HWY_NAMESPACE
}  // namespace kettle::kernels
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace kettle::kernels {

HWY_EXPORT(SumBlocksT);
HWY_EXPORT(SumSsimT);
HWY_EXPORT(SquaredErrorT);
HWY_EXPORT(SumNeighbourErrorsT);

void SumBlocks(const PlaneView& a, const PlaneView& b, int y, BlockSums& sums) {
  HWY_DYNAMIC_DISPATCH(SumBlocksT)(a, b, y, sums);
}
double SumSsim(const BlockSums& above, const BlockSums& below) { return HWY_DYNAMIC_DISPATCH(SumSsimT)(above, below); }
std::int64_t SquaredError(const std::uint8_t* a, const std::uint8_t* b, int count) {
  return HWY_DYNAMIC_DISPATCH(SquaredErrorT)(a, b, count);
}
NeighbourErrors SumNeighbourErrors(const std::uint8_t* row, int count) {
  return HWY_DYNAMIC_DISPATCH(SumNeighbourErrorsT)(row, count);
}

}  // namespace kettle::kernels
#endif
