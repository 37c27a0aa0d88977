// SPDX-License-Identifier: Apache-2.0
#include <algorithm>

#include "kettle/quality/kernels.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "kettle/quality/window_kernels.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "kettle/quality/samples-inl.h"

// Shared by all targets: defined once.
#ifndef KETTLE_QUALITY_WINDOWS_ONCE
#define KETTLE_QUALITY_WINDOWS_ONCE

namespace kettle::kernels {

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
  for (int top = 0; top < down; top += step_down) {
    for (int span = 0; span * kStep * kWindows < across; ++span) {
      const int y = top + 5 * span % step_down;
      const int x0 = span * kStep * kWindows + y / step_down % kStep;
      const int count = std::min(kWindows, (across - x0 + kStep - 1) / kStep);
      if (y >= down || count <= 0) continue;
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

HWY_EXPORT(HalveBytesT);
HWY_EXPORT(HalveFloatsT);
HWY_EXPORT(MeasureBytesT);
HWY_EXPORT(MeasureFloatsT);

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
