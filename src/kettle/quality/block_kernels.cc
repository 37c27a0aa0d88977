// SPDX-License-Identifier: Apache-2.0
#include <algorithm>
#include <numeric>

#include "kettle/quality/kernels.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "kettle/quality/block_kernels.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "kettle/quality/samples-inl.h"

HWY_BEFORE_NAMESPACE();
namespace kettle::kernels {
namespace HWY_NAMESPACE {

using D16 = hn::ScalableTag<std::int16_t>;
using D32 = hn::RepartitionToWide<D16>;
using V16 = hn::Vec<D16>;
using V32 = hn::Vec<D32>;

HWY_INLINE V16 LoadWide(const std::uint8_t* p) {
  return hn::PromoteTo(D16(), hn::LoadU(hn::Rebind<std::uint8_t, D16>(), p));
}

// Adds up products of 16-bit samples in 32 bits.
class Products {
 public:
  HWY_INLINE Products() : sum0_(hn::Zero(D32())), sum1_(hn::Zero(D32())) {}
  HWY_INLINE void Add(V16 a, V16 b) { sum0_ = hn::ReorderWidenMulAccumulate(D32(), a, b, sum0_, sum1_); }
  // Lane i: of the samples 2i and 2i + 1.
  HWY_INLINE V32 pairs() const { return hn::RearrangeToOddPlusEven(sum0_, sum1_); }
  // Of all lanes, at most 2^31 each.
  HWY_INLINE std::int64_t total() const {
    HWY_ALIGN std::int32_t lanes[HWY_MAX_BYTES / sizeof(std::int32_t)];
    hn::Store(hn::Add(sum0_, sum1_), D32(), lanes);
    return std::accumulate(lanes, lanes + hn::Lanes(D32()), std::int64_t{0});
  }

 private:
  V32 sum0_, sum1_;
};

// The sums of a few samples at the end of a row of blocks; the squared error.
int SumBlock(const PlaneView& a, const PlaneView& b, int y, std::size_t block, BlockSums& sums) {
  int sum_a = 0, sum_b = 0, squares = 0, products = 0;
  for (int i = 0; i < 16; ++i) {
    const std::ptrdiff_t x = 4 * static_cast<std::ptrdiff_t>(block) + i % 4;
    const int s = a.row(y + i / 4)[x], t = b.row(y + i / 4)[x];
    sum_a += s;
    sum_b += t;
    squares += s * s + t * t;
    products += s * t;
  }
  sums.a[block] = static_cast<float>(sum_a);
  sums.b[block] = static_cast<float>(sum_b);
  sums.squares[block] = static_cast<float>(squares);
  sums.products[block] = static_cast<float>(products);
  return squares - 2 * products;
}

std::int64_t SumBlocksT(const PlaneView& a, const PlaneView& b, int y, BlockSums& sums) {
  const D16 d16;
  const D32 d32;
  const F d;
  const std::size_t samples = hn::Lanes(d16), lanes = hn::Lanes(d), blocks = sums.a.size();
  V32 error = hn::Zero(d32);
  std::size_t block = 0;
  for (; block + lanes <= blocks; block += lanes) {  // two vectors of samples
    V32 pairs[4][2];
    for (int half = 0; half < 2; ++half) {
      const auto x = static_cast<std::ptrdiff_t>(4 * block + static_cast<std::size_t>(half) * samples);
      V16 sum_a = hn::Zero(d16), sum_b = sum_a;
      Products a_pairs, b_pairs, squares, products;
      for (int row = y; row < y + 4; ++row) {
        const V16 s = LoadWide(a.row(row) + x), t = LoadWide(b.row(row) + x);
        sum_a = hn::Add(sum_a, s);
        sum_b = hn::Add(sum_b, t);
        squares.Add(s, s);
        squares.Add(t, t);
        products.Add(s, t);
      }
      a_pairs.Add(sum_a, hn::Set(d16, 1));
      b_pairs.Add(sum_b, hn::Set(d16, 1));
      pairs[0][half] = a_pairs.pairs();
      pairs[1][half] = b_pairs.pairs();
      pairs[2][half] = squares.pairs();
      pairs[3][half] = products.pairs();
    }
    V32 of_blocks[4];
    for (int map = 0; map < 4; ++map)
      of_blocks[map] = hn::Add(Evens(d32, pairs[map][0], pairs[map][1]), Odds(d32, pairs[map][0], pairs[map][1]));
    error = hn::Add(error, hn::Sub(of_blocks[2], hn::Add(of_blocks[3], of_blocks[3])));
    float* const to[] = {&sums.a[block], &sums.b[block], &sums.squares[block], &sums.products[block]};
    for (int map = 0; map < 4; ++map) hn::StoreU(hn::ConvertTo(d, of_blocks[map]), d, to[map]);
  }
  HWY_ALIGN std::int32_t errors[HWY_MAX_BYTES / sizeof(std::int32_t)];
  hn::Store(error, d32, errors);
  auto total = std::accumulate(errors, errors + hn::Lanes(d32), std::int64_t{0});
  for (; block < blocks; ++block) total += SumBlock(a, b, y, block, sums);
  return total;
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
  const int lanes = static_cast<int>(hn::Lanes(D16()));
  Products squares;
  int i = 0;
  for (; i + lanes <= count; i += lanes) {
    const V16 difference = hn::Sub(LoadWide(a + i), LoadWide(b + i));
    squares.Add(difference, difference);
  }
  std::int64_t total = squares.total();
  for (; i < count; ++i) total += (a[i] - b[i]) * (a[i] - b[i]);
  return total;
}

// The pairs that the sample at `x` makes with its right and its upper neighbour.
void AddNeighboursOf(const PlaneView& plane, int x, int y, NeighbourErrors& errors) {
  const auto add = [&](int difference, bool border) {
    errors.all += difference * difference;
    if (border) errors.border += difference * difference;
  };
  const std::uint8_t* row = plane.row(y);
  if (x + 1 < plane.width) add(row[x] - row[x + 1], (x + 1) % kBlock == 0);
  if (y > 0) add(row[x] - plane.row(y - 1)[x], y % kBlock == 0);
}

// The pairs that a vector of samples from `x` on makes with the right and the upper neighbours, but for the first
// `passed_over` of them.
HWY_INLINE void AddNeighbours(const std::uint8_t* row, const std::uint8_t* upper, int x, int passed_over,
                              Products& inside, Products& border, Products& down) {
  const D16 d16;
  // Pair x is of samples x and x + 1: the last one of each eight spans a border.
  const V16 in_block = hn::And(hn::Iota(d16, static_cast<std::int16_t>(x % kBlock)), hn::Set(d16, kBlock - 1));
  const auto last = hn::Eq(in_block, hn::Set(d16, kBlock - 1));
  const V16 sample = LoadWide(row + x);
  V16 across = hn::Sub(sample, LoadWide(row + x + 1)), upright = hn::Sub(sample, LoadWide(upper + x));
  if (passed_over > 0) {
    const auto counts = hn::Gt(hn::Iota(d16, 1), hn::Set(d16, static_cast<std::int16_t>(passed_over)));
    across = hn::IfThenElseZero(counts, across);
    upright = hn::IfThenElseZero(counts, upright);
  }
  const V16 at_border = hn::IfThenElseZero(last, across);
  inside.Add(across, across);
  border.Add(at_border, at_border);
  down.Add(upright, upright);
}

// Of a row whose samples, but for the last one, fill at least one vector; the last vector overlaps the one before.
HWY_INLINE void AddRow(const PlaneView& plane, int y, Products& inside, Products& border, Products& down) {
  const int lanes = static_cast<int>(hn::Lanes(D16())), pairs = plane.width - 1;
  const std::uint8_t *row = plane.row(y), *upper = plane.row(std::max(0, y - 1));
  int x = 0;
  for (; x + lanes <= pairs; x += lanes) AddNeighbours(row, upper, x, 0, inside, border, down);
  if (x < pairs) AddNeighbours(row, upper, pairs - lanes, x - (pairs - lanes), inside, border, down);
}

NeighbourErrors SumNeighbourErrorsT(const PlaneView& plane, int y) {
  const int lanes = static_cast<int>(hn::Lanes(D16())), end = std::min(y + kBlock, plane.height);
  const bool wide = lanes % kBlock == 0 && plane.width > lanes;
  Products inside, border, above;  // what is in `border` is in `inside` too
  if (wide) {
    AddRow(plane, y, inside, border, above);
    for (int line = y + 1; line < end; ++line) AddRow(plane, line, inside, border, inside);
  }
  NeighbourErrors errors{inside.total() + above.total(), border.total() + above.total()};
  for (int line = y; line < end; ++line)
    for (int x = wide ? plane.width - 1 : 0; x < plane.width; ++x) AddNeighboursOf(plane, x, line, errors);
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

std::int64_t SumBlocks(const PlaneView& a, const PlaneView& b, int y, BlockSums& sums) {
  return HWY_DYNAMIC_DISPATCH(SumBlocksT)(a, b, y, sums);
}
double SumSsim(const BlockSums& above, const BlockSums& below) { return HWY_DYNAMIC_DISPATCH(SumSsimT)(above, below); }
std::int64_t SquaredError(const std::uint8_t* a, const std::uint8_t* b, int count) {
  return HWY_DYNAMIC_DISPATCH(SquaredErrorT)(a, b, count);
}
NeighbourErrors SumNeighbourErrors(const PlaneView& plane, int y) {
  return HWY_DYNAMIC_DISPATCH(SumNeighbourErrorsT)(plane, y);
}

}  // namespace kettle::kernels
#endif
