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

// Columns that are filtered together, so that eleven rows of four maps stay in the first cache.
inline constexpr int kSpan = 128;

// exp(-(i - 5)^2 / (2 * 1.5^2)), made to sum up to 1: the middle and one side.
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

HWY_INLINE V LoadSamples(F d, const float* p) { return hn::LoadU(d, p); }

template <typename Plane>
void HalveT(const Plane& plane, float offset, FloatPlane& half) {
  const F d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  half.width = plane.width / 2;
  half.height = plane.height / 2;
  half.samples.resize(static_cast<std::size_t>(half.width) * static_cast<std::size_t>(half.height));
  const V quarter = hn::Set(d, 0.25f), shift = hn::Set(d, offset);
  for (int y = 0; y < half.height; ++y) {
    const auto *upper = plane.row(2 * y), *lower = plane.row(2 * y + 1);
    float* to = half.samples.data() + static_cast<std::ptrdiff_t>(y) * half.width;
    int x = 0;
    for (; x + lanes <= half.width; x += lanes) {
      const V left = hn::Add(LoadSamples(d, upper + 2 * x), LoadSamples(d, lower + 2 * x));
      const V right = hn::Add(LoadSamples(d, upper + 2 * x + lanes), LoadSamples(d, lower + 2 * x + lanes));
      const V sum = hn::Add(Evens(d, left, right), Odds(d, left, right));
      hn::StoreU(hn::MulAdd(sum, quarter, shift), d, to + x);
    }
    for (; x < half.width; ++x)
      to[x] = static_cast<float>(upper[2 * x] + upper[2 * x + 1] + lower[2 * x] + lower[2 * x + 1]) / 4 + offset;
  }
}

void HalveBytesT(const PlaneView& plane, FloatPlane& half) { HalveT(plane, -128, half); }
void HalveFloatsT(const FloatPlane& plane, FloatPlane& half) { HalveT(plane, 0, half); }

// Both pictures, their squares together, and their products, of one row of a span of columns.
struct MapRow {
  HWY_ALIGN float a[kSpan], b[kSpan], squares[kSpan], products[kSpan];
};

template <typename Plane>
void FillMaps(const Plane& a, const Plane& b, float offset, int x0, int y, MapRow& maps) {
  const F d;
  const int lanes = static_cast<int>(hn::Lanes(d)), count = std::min(kSpan, a.width - x0);
  const auto *from_a = a.row(y) + x0, *from_b = b.row(y) + x0;
  const V shift = hn::Set(d, offset);
  int x = 0;
  for (; x + lanes <= count; x += lanes) {
    const V s = hn::Add(LoadSamples(d, from_a + x), shift), t = hn::Add(LoadSamples(d, from_b + x), shift);
    hn::Store(s, d, maps.a + x);
    hn::Store(t, d, maps.b + x);
    hn::Store(hn::MulAdd(s, s, hn::Mul(t, t)), d, maps.squares + x);
    hn::Store(hn::Mul(s, t), d, maps.products + x);
  }
  for (; x < count; ++x) {
    const float s = static_cast<float>(from_a[x]) + offset, t = static_cast<float>(from_b[x]) + offset;
    maps.a[x] = s;
    maps.b[x] = t;
    maps.squares[x] = s * s + t * t;
    maps.products[x] = s * t;
  }
}

// Eleven rows of the maps, the last ones read.
class MapRing {
 public:
  template <typename Plane>
  void Read(const Plane& a, const Plane& b, float offset, int x0, int y) {
    FillMaps(a, b, offset, x0, y, rows_[y % kGaussianTaps]);
  }
  const MapRow& row(int y) const { return rows_[y % kGaussianTaps]; }

 private:
  MapRow rows_[kGaussianTaps];
};

// The maps filtered from top to bottom: the even columns and the odd ones apart if every other is wanted.
struct FilteredRow {
  // Whole vectors may be read past the last window.
  static constexpr int kLength = kSpan + 2 * HWY_MAX_BYTES / static_cast<int>(sizeof(float));
  HWY_ALIGN float maps[4][2][kLength];
};

// The weighted sum of what `load` gives for each of the eleven taps.
template <typename Load>
HWY_INLINE V Gaussian(const Load& load) {
  const F d;
  V sum = hn::Mul(hn::Set(d, kWeights[5]), load(5));
#pragma GCC unroll 5
  for (int tap = 0; tap < kGaussianTaps / 2; ++tap)
    sum = hn::MulAdd(hn::Set(d, kWeights[tap]), hn::Add(load(tap), load(kGaussianTaps - 1 - tap)), sum);
  return sum;
}

template <int kStep>
void FilterDown(const MapRing& ring, int y, FilteredRow& filtered) {
  const F d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  constexpr float(MapRow::*kMaps[4])[kSpan] = {&MapRow::a, &MapRow::b, &MapRow::squares, &MapRow::products};
  const float* rows[kGaussianTaps];
  for (int map = 0; map < 4; ++map) {
    for (int tap = 0; tap < kGaussianTaps; ++tap) rows[tap] = ring.row(y + tap).*kMaps[map];
    const auto column = [&](int x) { return Gaussian([&](int tap) HWY_ATTR { return hn::Load(F(), rows[tap] + x); }); };
    if constexpr (kStep == 1) {
      for (int x = 0; x < kSpan; x += lanes) hn::Store(column(x), d, filtered.maps[map][0] + x);
    } else {
      for (int x = 0; x < kSpan; x += 2 * lanes) {
        const V left = column(x), right = column(x + lanes);
        hn::Store(Evens(d, left, right), d, filtered.maps[map][0] + x / 2);
        hn::Store(Odds(d, left, right), d, filtered.maps[map][1] + x / 2);
      }
    }
  }
}

template <int kStep>
HWY_INLINE V FilterAcross(const FilteredRow& filtered, int map, int x) {
  return Gaussian([&](int tap) HWY_ATTR {
    return hn::LoadU(F(), kStep == 1 ? filtered.maps[map][0] + x + tap : filtered.maps[map][tap % 2] + x + tap / 2);
  });
}

struct VectorSums {
  V contrast_structure, ssim;
};

// Adds `windows` windows of one row.
template <int kStep>
HWY_INLINE void AddWindows(const FilteredRow& filtered, int windows, VectorSums& sums) {
  const F d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  const V c1 = hn::Set(d, kC1), c2 = hn::Set(d, kC2), two = hn::Set(d, 2.0f), middle = hn::Set(d, 128.0f);
  for (int x = 0; x < windows; x += lanes) {
    const V a = FilterAcross<kStep>(filtered, 0, x), b = FilterAcross<kStep>(filtered, 1, x);
    const V squares = FilterAcross<kStep>(filtered, 2, x), products = FilterAcross<kStep>(filtered, 3, x);
    const V variances = hn::NegMulAdd(a, a, hn::NegMulAdd(b, b, squares));
    const V covariance = hn::NegMulAdd(a, b, products);
    const V contrast_structure = hn::Div(hn::MulAdd(two, covariance, c2), hn::Add(variances, c2));
    const V mean_a = hn::Add(a, middle), mean_b = hn::Add(b, middle);
    const V luminance = hn::Div(hn::MulAdd(hn::Mul(two, mean_a), mean_b, c1),
                                hn::MulAdd(mean_a, mean_a, hn::MulAdd(mean_b, mean_b, c1)));
    const auto inside = hn::FirstN(d, static_cast<std::size_t>(windows - x));
    sums.contrast_structure = hn::Add(sums.contrast_structure, hn::IfThenElseZero(inside, contrast_structure));
    sums.ssim = hn::Add(sums.ssim, hn::IfThenElseZero(inside, hn::Mul(contrast_structure, luminance)));
  }
}

template <int kAcross, typename Plane>
GaussianSsim GaussianSsimT(const Plane& a, const Plane& b, float offset, int step_down) {
  const F d;
  const int across = (a.width - kGaussianTaps) / kAcross + 1, down = (a.height - kGaussianTaps) / step_down + 1;
  constexpr int kWindows = (kSpan - kGaussianTaps) / kAcross + 1;  // in a span
  MapRing ring{};
  FilteredRow filtered{};
  GaussianSsim total;
  for (int first = 0; first < across; first += kWindows) {
    int read = 0;
    for (int row = 0; row < down; ++row) {
      for (; read < row * step_down + kGaussianTaps; ++read) ring.Read(a, b, offset, first * kAcross, read);
      FilterDown<kAcross>(ring, row * step_down, filtered);
      VectorSums sums{hn::Zero(d), hn::Zero(d)};
      AddWindows<kAcross>(filtered, std::min(kWindows, across - first), sums);
      total.contrast_structure += hn::GetLane(hn::SumOfLanes(d, sums.contrast_structure));
      total.ssim += hn::GetLane(hn::SumOfLanes(d, sums.ssim));
    }
  }
  const double windows = static_cast<double>(across) * down;
  return {total.contrast_structure / windows, total.ssim / windows};
}

GaussianSsim GaussianSsimBytesT(const PlaneView& a, const PlaneView& b, WindowSteps steps) {
  return steps.across == 1 ? GaussianSsimT<1>(a, b, -128, steps.down) : GaussianSsimT<2>(a, b, -128, steps.down);
}
GaussianSsim GaussianSsimFloatsT(const FloatPlane& a, const FloatPlane& b, WindowSteps steps) {
  return steps.across == 1 ? GaussianSsimT<1>(a, b, 0, steps.down) : GaussianSsimT<2>(a, b, 0, steps.down);
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
HWY_EXPORT(GaussianSsimBytesT);
HWY_EXPORT(GaussianSsimFloatsT);

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
GaussianSsim MeasureGaussianSsim(const PlaneView& a, const PlaneView& b, WindowSteps steps) {
  return HWY_DYNAMIC_DISPATCH(GaussianSsimBytesT)(a, b, steps);
}
GaussianSsim MeasureGaussianSsim(const FloatPlane& a, const FloatPlane& b, WindowSteps steps) {
  return HWY_DYNAMIC_DISPATCH(GaussianSsimFloatsT)(a, b, steps);
}

}  // namespace kettle::kernels
#endif
