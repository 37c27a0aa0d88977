// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/kernels.h"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "kettle/quality/kernels.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

// Shared by all targets: defined once.
#ifndef KETTLE_QUALITY_KERNELS_ONCE
#define KETTLE_QUALITY_KERNELS_ONCE

namespace kettle::kernels {

inline constexpr float kC1 = 0.01f * 255 * 0.01f * 255, kC2 = 0.03f * 255 * 0.03f * 255;

inline constexpr float kMiddleGrey = 128;

// Columns that are filtered together, so that eleven rows of both planes stay in the first cache.
inline constexpr int kSpan = 128;

// exp(-(i - 5)^2 / (2 * 1.5^2)), made to sum up to 1: one side and the middle.
inline constexpr float kWeights[] = {1.028380084e-03f, 7.598758135e-03f, 3.600077213e-02f,
                                     1.093606895e-01f, 2.130055377e-01f, 2.660117249e-01f};

}  // namespace kettle::kernels
#endif

HWY_BEFORE_NAMESPACE();
namespace kettle::kernels {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;
using F = hn::ScalableTag<float>;
using V = hn::Vec<F>;

HWY_INLINE V LoadSamples(F d, const std::uint8_t* p) {
  const hn::Rebind<std::uint8_t, F> d8;
  const hn::Rebind<std::int32_t, F> d32;
  return hn::ConvertTo(d, hn::PromoteTo(d32, hn::LoadU(d8, p)));
}

HWY_INLINE V LoadSamples(F d, const float* p) { return hn::LoadU(d, p); }

// The even, or the odd, lanes of two neighbouring vectors.
template <typename D>
HWY_INLINE hn::Vec<D> Evens([[maybe_unused]] D d, hn::Vec<D> lower, [[maybe_unused]] hn::Vec<D> upper) {
#if HWY_TARGET == HWY_SCALAR  // one lane
  return lower;
#else
  return hn::ConcatEven(d, upper, lower);
#endif
}
template <typename D>
HWY_INLINE hn::Vec<D> Odds([[maybe_unused]] D d, [[maybe_unused]] hn::Vec<D> lower, hn::Vec<D> upper) {
#if HWY_TARGET == HWY_SCALAR
  return upper;
#else
  return hn::ConcatOdd(d, upper, lower);
#endif
}

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

// The means of the 2x2 samples from `x` on, of two rows, as many as the vector has lanes.
HWY_INLINE V HalveSamples(F d, const float* upper, const float* lower, int x) {
  const int lanes = static_cast<int>(hn::Lanes(d));
  const V left = hn::Add(hn::LoadU(d, upper + 2 * x), hn::LoadU(d, lower + 2 * x));
  const V right = hn::Add(hn::LoadU(d, upper + 2 * x + lanes), hn::LoadU(d, lower + 2 * x + lanes));
  return hn::Mul(hn::Add(Evens(d, left, right), Odds(d, left, right)), hn::Set(d, 0.25f));
}
HWY_INLINE V HalveSamples(F d, const std::uint8_t* upper, const std::uint8_t* lower, int x) {
#if HWY_TARGET == HWY_SCALAR  // one lane, which cannot hold two samples
  const int sum = upper[2 * x] + upper[2 * x + 1] + lower[2 * x] + lower[2 * x + 1];
  return hn::Set(d, static_cast<float>(sum) / 4 - kMiddleGrey);
#else
  const hn::Rebind<std::uint16_t, F> d16;  // each lane holds two neighbouring samples
  const hn::Repartition<std::uint8_t, decltype(d16)> d8;
  const auto pairs = [&](const std::uint8_t* row) HWY_ATTR {
    const auto both = hn::BitCast(d16, hn::LoadU(d8, row + 2 * x));
    return hn::Add(hn::And(both, hn::Set(d16, 0xFF)), hn::ShiftRight<8>(both));
  };
  const auto sum = hn::PromoteTo(hn::Rebind<std::int32_t, F>(), hn::Add(pairs(upper), pairs(lower)));
  return hn::MulAdd(hn::ConvertTo(d, sum), hn::Set(d, 0.25f), hn::Set(d, -kMiddleGrey));
#endif
}

template <typename Plane>
void HalveT(const Plane& plane, float offset, FloatPlane& half) {
  const F d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  half.width = plane.width / 2;
  half.height = plane.height / 2;
  half.samples.resize(static_cast<std::size_t>(half.width) * static_cast<std::size_t>(half.height));
  for (int y = 0; y < half.height; ++y) {
    const auto *upper = plane.row(2 * y), *lower = plane.row(2 * y + 1);
    float* to = half.samples.data() + static_cast<std::ptrdiff_t>(y) * half.width;
    int x = 0;
    for (; x + lanes <= half.width; x += lanes) hn::StoreU(HalveSamples(d, upper, lower, x), d, to + x);
    for (; x < half.width; ++x)
      to[x] = static_cast<float>(upper[2 * x] + upper[2 * x + 1] + lower[2 * x] + lower[2 * x + 1]) / 4 + offset;
  }
}

void HalveBytesT(const PlaneView& plane, FloatPlane& half) { HalveT(plane, -kMiddleGrey, half); }
void HalveFloatsT(const FloatPlane& plane, FloatPlane& half) { HalveT(plane, 0, half); }

// Both pictures, their squares together, and their products, filtered from top to bottom in a span of columns: the even
// columns and the odd ones apart if every other window is wanted.
struct FilteredRow {
  // Whole vectors may be read past the last window.
  static constexpr int kLength = kSpan + 2 * HWY_MAX_BYTES / static_cast<int>(sizeof(float));
  HWY_ALIGN float maps[4][2][kLength];
};

// The first `count` lanes; the others are zero and nothing is read for them.
template <typename Sample>
HWY_INLINE V LoadSome(F d, const Sample* p, int count) {
  HWY_ALIGN float samples[HWY_MAX_BYTES / sizeof(float)] = {};
  for (int i = 0; i < count; ++i) samples[i] = static_cast<float>(p[i]);
  return hn::Load(d, samples);
}

// The four maps of a vector of columns, weighted over eleven rows. Taps at the same distance share their weight.
template <typename Load>
HWY_INLINE void FilterColumns(const Load& load, V (&maps)[4]) {
  const F d;
  constexpr int kMiddle = kGaussianTaps / 2;
  const V a = load(0, kMiddle), b = load(1, kMiddle), weight = hn::Set(d, kWeights[kMiddle]);
  maps[0] = hn::Mul(weight, a);
  maps[1] = hn::Mul(weight, b);
  maps[2] = hn::Mul(weight, hn::MulAdd(a, a, hn::Mul(b, b)));
  maps[3] = hn::Mul(weight, hn::Mul(a, b));
#pragma GCC unroll 5
  for (int tap = 0; tap < kMiddle; ++tap) {
    const V above_a = load(0, tap), below_a = load(0, kGaussianTaps - 1 - tap);
    const V above_b = load(1, tap), below_b = load(1, kGaussianTaps - 1 - tap), w = hn::Set(d, kWeights[tap]);
    const V squares = hn::MulAdd(above_a, above_a, hn::MulAdd(below_a, below_a, hn::Mul(above_b, above_b)));
    maps[0] = hn::MulAdd(w, hn::Add(above_a, below_a), maps[0]);
    maps[1] = hn::MulAdd(w, hn::Add(above_b, below_b), maps[1]);
    maps[2] = hn::MulAdd(w, hn::MulAdd(below_b, below_b, squares), maps[2]);
    maps[3] = hn::MulAdd(w, hn::MulAdd(above_a, above_b, hn::Mul(below_a, below_b)), maps[3]);
  }
}

// Filters the columns from `x0` on, as many as a span has, over the rows from `y` on.
template <int kStep, typename Plane>
void FilterDown(const Plane& a, const Plane& b, int x0, int y, FilteredRow& filtered) {
  const F d;
  const int lanes = static_cast<int>(hn::Lanes(d)), columns = std::min(kSpan, a.width - x0);
  decltype(a.row(0)) rows[2][kGaussianTaps];
  for (int tap = 0; tap < kGaussianTaps; ++tap) {
    rows[0][tap] = a.row(y + tap) + x0;
    rows[1][tap] = b.row(y + tap) + x0;
  }
  const auto filter = [&](int x, V(&maps)[4]) HWY_ATTR {
    if (x + lanes <= columns)
      FilterColumns([&](int plane, int tap) HWY_ATTR { return LoadSamples(F(), rows[plane][tap] + x); }, maps);
    else  // nothing is read past the plane
      FilterColumns([&](int plane, int tap) HWY_ATTR { return LoadSome(F(), rows[plane][tap] + x, columns - x); },
                    maps);
  };
  for (int x = 0; x < columns; x += kStep * lanes) {
    V left[4], right[4];
    filter(x, left);
    if constexpr (kStep == 2) filter(x + lanes, right);
    for (int map = 0; map < 4; ++map) {
      if constexpr (kStep == 1) {
        hn::Store(left[map], d, filtered.maps[map][0] + x);
      } else {
        hn::Store(Evens(d, left[map], right[map]), d, filtered.maps[map][0] + x / 2);
        hn::Store(Odds(d, left[map], right[map]), d, filtered.maps[map][1] + x / 2);
      }
    }
  }
}

template <int kStep>
HWY_INLINE V FilterAcross(const FilteredRow& filtered, int map, int x) {
  const F d;
  const auto load = [&](int tap) HWY_ATTR {
    return hn::LoadU(F(), kStep == 1 ? filtered.maps[map][0] + x + tap : filtered.maps[map][tap % 2] + x + tap / 2);
  };
  constexpr int kMiddle = kGaussianTaps / 2;
  V sum = hn::Mul(hn::Set(d, kWeights[kMiddle]), load(kMiddle));
#pragma GCC unroll 5
  for (int tap = 0; tap < kMiddle; ++tap)
    sum = hn::MulAdd(hn::Set(d, kWeights[tap]), hn::Add(load(tap), load(kGaussianTaps - 1 - tap)), sum);
  return sum;
}

// The sum of `windows` windows of one row; `middle` is what was taken from each sample.
template <int kStep, Similarity kKind>
double SumWindows(const FilteredRow& filtered, int windows, float middle) {
  const F d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  const V c1 = hn::Set(d, kC1), c2 = hn::Set(d, kC2), two = hn::Set(d, 2.0f), shift = hn::Set(d, middle);
  V sum = hn::Zero(d);
  for (int x = 0; x < windows; x += lanes) {
    const V a = FilterAcross<kStep>(filtered, 0, x), b = FilterAcross<kStep>(filtered, 1, x);
    const V squares = FilterAcross<kStep>(filtered, 2, x), products = FilterAcross<kStep>(filtered, 3, x);
    const V variances = hn::NegMulAdd(a, a, hn::NegMulAdd(b, b, squares));
    const V covariance = hn::NegMulAdd(a, b, products);
    V above_line = hn::MulAdd(two, covariance, c2), below_line = hn::Add(variances, c2);
    if constexpr (kKind == Similarity::kWithLuminance) {
      const V mean_a = hn::Add(a, shift), mean_b = hn::Add(b, shift);
      above_line = hn::Mul(above_line, hn::MulAdd(hn::Mul(two, mean_a), mean_b, c1));
      below_line = hn::Mul(below_line, hn::MulAdd(mean_a, mean_a, hn::MulAdd(mean_b, mean_b, c1)));
    }
    const auto inside = hn::FirstN(d, static_cast<std::size_t>(windows - x));
    sum = hn::Add(sum, hn::IfThenElseZero(inside, hn::Div(above_line, below_line)));
  }
  return static_cast<double>(hn::GetLane(hn::SumOfLanes(d, sum)));
}

// Windows that are left out lie between those of the row above and, span by span, between its rows: a picture that is
// busier below, or striped, is not looked at more in one place than in another.
template <int kStep, Similarity kKind, typename Plane>
double GaussianSsimT(const Plane& a, const Plane& b, float middle, int step_down) {
  const int across = a.width - kGaussianTaps + 1, down = a.height - kGaussianTaps + 1;
  constexpr int kWindows = (kSpan - kGaussianTaps) / kStep + 1;  // in a span
  FilteredRow filtered{};
  double sum = 0;
  std::int64_t windows = 0;
  for (int span = 0; span * kStep * kWindows < across; ++span) {
    for (int y = 5 * span % step_down; y < down; y += step_down) {
      const int x0 = span * kStep * kWindows + y / step_down % kStep;
      const int count = std::min(kWindows, (across - x0 + kStep - 1) / kStep);
      if (count <= 0) continue;
      FilterDown<kStep>(a, b, x0, y, filtered);
      sum += SumWindows<kStep, kKind>(filtered, count, middle);
      windows += count;
    }
  }
  return sum / static_cast<double>(windows);
}

template <typename Plane>
double MeasureT(const Plane& a, const Plane& b, float middle, Similarity kind, WindowSteps steps) {
  if (kind == Similarity::kWithLuminance)
    return steps.across == 1 ? GaussianSsimT<1, Similarity::kWithLuminance>(a, b, middle, steps.down)
                             : GaussianSsimT<2, Similarity::kWithLuminance>(a, b, middle, steps.down);
  return steps.across == 1 ? GaussianSsimT<1, Similarity::kContrastStructure>(a, b, middle, steps.down)
                           : GaussianSsimT<2, Similarity::kContrastStructure>(a, b, middle, steps.down);
}
double MeasureBytesT(const PlaneView& a, const PlaneView& b, Similarity kind, WindowSteps steps) {
  return MeasureT(a, b, 0, kind, steps);
}
double MeasureFloatsT(const FloatPlane& a, const FloatPlane& b, Similarity kind, WindowSteps steps) {
  return MeasureT(a, b, kMiddleGrey, kind, steps);
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
HWY_EXPORT(HalveBytesT);
HWY_EXPORT(HalveFloatsT);
HWY_EXPORT(MeasureBytesT);
HWY_EXPORT(MeasureFloatsT);

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
void Halve(const PlaneView& plane, FloatPlane& half) { HWY_DYNAMIC_DISPATCH(HalveBytesT)(plane, half); }
void Halve(const FloatPlane& plane, FloatPlane& half) { HWY_DYNAMIC_DISPATCH(HalveFloatsT)(plane, half); }
double GaussianSsim(const PlaneView& a, const PlaneView& b, Similarity kind, WindowSteps steps) {
  return HWY_DYNAMIC_DISPATCH(MeasureBytesT)(a, b, kind, steps);
}
double GaussianSsim(const FloatPlane& a, const FloatPlane& b, Similarity kind, WindowSteps steps) {
  return HWY_DYNAMIC_DISPATCH(MeasureFloatsT)(a, b, kind, steps);
}

}  // namespace kettle::kernels
#endif
