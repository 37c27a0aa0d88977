// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/ssimulacra2_kernels.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <vector>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "kettle/quality/ssimulacra2_kernels.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

// Shared by all targets: defined once.
#ifndef KETTLE_QUALITY_SSIMULACRA2_ONCE
#define KETTLE_QUALITY_SSIMULACRA2_ONCE

namespace kettle::kernels {

// From linear light to the cones' responses: red, green, blue for each of long, medium, short.
inline constexpr float kCones[3][3] = {{0.30f, 0.622f, 0.078f},
                                       {0.23f, 0.692f, 0.078f},
                                       {0.24342268924547819f, 0.20476744424496821f, 0.5518098665095536f}};
inline constexpr float kConeBias = 0.0037930732552754493f;

// A Gaussian of sigma 1.5 as a sum of three cosines over nine samples: Charalampidis, "Recursive implementation of the
// Gaussian filter using truncated cosine functions", IEEE Trans. Signal Processing 64(14), 2016, eq. 33 to 56 with
// N = 5. The middle, then outwards.
inline constexpr int kReach = 4;
inline constexpr float kTaps[kReach + 1] = {2.6462110549e-01f, 2.1292859201e-01f, 1.0933537278e-01f, 3.6011114658e-02f,
                                            9.4143678097e-03f};

inline constexpr float kSmall = 0.0009f;  // keeps the quotient of two small variances near 1

}  // namespace kettle::kernels
#endif

HWY_BEFORE_NAMESPACE();
namespace kettle::kernels {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

// Calls `step(tag, x)` for all of 0..count: whole vectors, then single samples.
template <class Step>
HWY_INLINE void ForEachVector(int count, const Step& step) {
  const hn::ScalableTag<float> whole;
  const hn::CappedTag<float, 1> single;
  const int lanes = static_cast<int>(hn::Lanes(whole));
  int x = 0;
  for (; x + lanes <= count; x += lanes) step(whole, x);
  for (; x < count; ++x) step(single, x);
}

// The cube root of a positive number: a third of the exponent, then Halley's iteration twice (each triples the digits).
template <class D>
HWY_INLINE hn::Vec<D> CubeRoot(D d, hn::Vec<D> a) {
  const hn::Rebind<std::int32_t, D> whole;
  const auto bits = hn::ConvertTo(d, hn::BitCast(whole, a));
  auto t =
      hn::BitCast(d, hn::Add(hn::ConvertTo(whole, hn::Mul(bits, hn::Set(d, 1.0f / 3))), hn::Set(whole, 709'921'077)));
  for (int i = 0; i < 2; ++i) {
    const auto cube = hn::Mul(hn::Mul(t, t), t);
    t = hn::Div(hn::Mul(t, hn::Add(cube, hn::Add(a, a))), hn::Add(hn::Add(cube, cube), a));
  }
  return t;
}

void LinearToXybT(const float* red, const float* green, const float* blue, int count, float* x, float* y, float* b) {
  const float dark = std::cbrt(kConeBias);
  ForEachVector(count, [&](auto d, int i) HWY_ATTR {
    const auto r = hn::LoadU(d, red + i), g = hn::LoadU(d, green + i), bl = hn::LoadU(d, blue + i);
    const auto cone = [&](const float* weights) HWY_ATTR {
      const auto mixed = hn::MulAdd(
          r, hn::Set(d, weights[0]),
          hn::MulAdd(g, hn::Set(d, weights[1]), hn::MulAdd(bl, hn::Set(d, weights[2]), hn::Set(d, kConeBias))));
      return hn::Sub(CubeRoot(d, hn::Max(mixed, hn::Set(d, 1e-9f))), hn::Set(d, dark));
    };
    const auto l = cone(kCones[0]), m = cone(kCones[1]), s = cone(kCones[2]);
    const auto half = hn::Set(d, 0.5f);
    const auto luma = hn::Mul(hn::Add(l, m), half);
    hn::StoreU(hn::MulAdd(hn::Mul(hn::Sub(l, m), half), hn::Set(d, 14.0f), hn::Set(d, 0.42f)), d, x + i);
    hn::StoreU(hn::Add(hn::Sub(s, luma), hn::Set(d, 0.55f)), d, b + i);
    hn::StoreU(hn::Add(luma, hn::Set(d, 0.01f)), d, y + i);
  });
}

void HalveRowT(const float* upper, const float* lower, int width, float* out) {
  const hn::ScalableTag<float> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; 2 * (x + lanes) <= width; x += lanes) {
    hn::Vec<decltype(d)> upper_even, upper_odd, lower_even, lower_odd;
    hn::LoadInterleaved2(d, upper + 2 * x, upper_even, upper_odd);
    hn::LoadInterleaved2(d, lower + 2 * x, lower_even, lower_odd);
    const auto sum = hn::Add(hn::Add(upper_even, upper_odd), hn::Add(lower_even, lower_odd));
    hn::StoreU(hn::Mul(sum, hn::Set(d, 0.25f)), d, out + x);
  }
  for (; 2 * x < width; ++x) {
    const int left = 2 * x, right = std::min(left + 1, width - 1);
    out[x] = (upper[left] + upper[right] + lower[left] + lower[right]) / 4;
  }
}

// `table` interpolated at a number from 0 to 1.
template <class D>
HWY_INLINE hn::Vec<D> LookUp(D d, const float* table, int steps, hn::Vec<D> at) {
  const hn::Rebind<std::int32_t, D> whole;
  const auto place =
      hn::Mul(hn::Min(hn::Max(at, hn::Zero(d)), hn::Set(d, 1.0f)), hn::Set(d, static_cast<float>(steps)));
  const auto below = hn::Min(hn::ConvertTo(whole, place), hn::Set(whole, steps - 1));
  const auto low = hn::GatherIndex(d, table, below);
  const auto high = hn::GatherIndex(d, table, hn::Add(below, hn::Set(whole, 1)));
  return hn::MulAdd(hn::Sub(high, low), hn::Sub(place, hn::ConvertTo(d, below)), low);
}

void LightOfRowT(const float* luma, const float* cb, const float* cr, int count, const YcbcrToRgb& matrix,
                 const float* table, int steps, float* red, float* green, float* blue) {
  ForEachVector(count, [&](auto d, int x) HWY_ATTR {
    const auto y = hn::Mul(hn::Sub(hn::LoadU(d, luma + x), hn::Set(d, matrix.black)), hn::Set(d, matrix.luma_scale));
    const auto b = hn::Sub(hn::LoadU(d, cb + x), hn::Set(d, 128.0f)),
               r = hn::Sub(hn::LoadU(d, cr + x), hn::Set(d, 128.0f));
    hn::StoreU(LookUp(d, table, steps, hn::MulAdd(r, hn::Set(d, matrix.red_of_cr), y)), d, red + x);
    hn::StoreU(LookUp(d, table, steps,
                      hn::MulAdd(r, hn::Set(d, matrix.green_of_cr), hn::MulAdd(b, hn::Set(d, matrix.green_of_cb), y))),
               d, green + x);
    hn::StoreU(LookUp(d, table, steps, hn::MulAdd(b, hn::Set(d, matrix.blue_of_cb), y)), d, blue + x);
  });
}

// One row of what `sample(tag, x)` makes, blurred across; outside the row there is nothing. `padded` has kReach samples
// of zero before and after the row.
template <class Sample>
HWY_INLINE void BlurAcross(const Sample& sample, int width, float* padded, float* out) {
  float* row = padded + kReach;
  ForEachVector(width, [&](auto d, int x) HWY_ATTR { hn::StoreU(sample(d, x), d, row + x); });
  ForEachVector(width, [&](auto d, int x) HWY_ATTR {
    auto sum = hn::Mul(hn::LoadU(d, row + x), hn::Set(d, kTaps[0]));
    for (int k = 1; k <= kReach; ++k)
      sum = hn::MulAdd(hn::Add(hn::LoadU(d, row + x - k), hn::LoadU(d, row + x + k)), hn::Set(d, kTaps[k]), sum);
    hn::StoreU(sum, d, out + x);
  });
}

// The rows of one blurred plane that the next row needs, as a ring; rows outside the picture are empty.
class Ring {
 public:
  explicit Ring(int width)
      : width_(width), rows_(static_cast<std::size_t>(width) * kRows), outside_(static_cast<std::size_t>(width)) {}
  float* row(int y) { return rows_.data() + static_cast<std::ptrdiff_t>(y % kRows) * width_; }

  // Row `y` blurred down as well; the rows around it that lie in the picture are in the ring.
  HWY_INLINE void BlurDown(int y, int height, float* out) {
    const float* middle = row(y);
    const float *above[kReach], *below[kReach];
    for (int k = 1; k <= kReach; ++k) {
      above[k - 1] = y >= k ? row(y - k) : outside_.data();
      below[k - 1] = y + k < height ? row(y + k) : outside_.data();
    }
    ForEachVector(width_, [&](auto d, int x) HWY_ATTR {
      auto sum = hn::Mul(hn::LoadU(d, middle + x), hn::Set(d, kTaps[0]));
      for (int k = 1; k <= kReach; ++k)
        sum = hn::MulAdd(hn::Add(hn::LoadU(d, above[k - 1] + x), hn::LoadU(d, below[k - 1] + x)), hn::Set(d, kTaps[k]),
                         sum);
      hn::StoreU(sum, d, out + x);
    });
  }

 private:
  static constexpr int kRows = 2 * kReach + 1;
  int width_;
  std::vector<float> rows_, outside_;
};

struct BlurredRow {
  const float *mean_a, *mean_b, *squares, *differences;  // of both together; of the squares of what lies between them
};

// Adds the errors of a row's samples from `x` on, as many as whole vectors of `d` fill; gives the first one left.
template <class D>
HWY_INLINE int AddErrors(D d, int x, const float* a, const float* b, const BlurredRow& blurred, int width,
                         PlaneErrors& errors) {
  const int lanes = static_cast<int>(hn::Lanes(d));
  const auto one = hn::Set(d, 1.0f), none = hn::Zero(d);
  auto structure = none, structure4 = none, added = none, added4 = none, lost = none, lost4 = none;
  const auto fourth = [](auto value) HWY_ATTR {
    const auto square = hn::Mul(value, value);
    return hn::Mul(square, square);
  };
  for (; x + lanes <= width; x += lanes) {
    const auto mean_a = hn::LoadU(d, blurred.mean_a + x), mean_b = hn::LoadU(d, blurred.mean_b + x);
    const auto apart = hn::Sub(mean_a, mean_b);
    // 1 - SSIM without the covariance, which would be the difference of two nearly equal numbers:
    // 2 cov(a, b) = var(a) + var(b) - var(a - b).
    const auto variances =
        hn::NegMulAdd(mean_b, mean_b, hn::NegMulAdd(mean_a, mean_a, hn::LoadU(d, blurred.squares + x)));
    const auto unshared = hn::NegMulAdd(apart, apart, hn::LoadU(d, blurred.differences + x));
    const auto unlike_structure = hn::Div(unshared, hn::Add(variances, hn::Set(d, kSmall)));
    const auto unlike =
        hn::Max(hn::MulAdd(hn::Mul(apart, apart), hn::Sub(one, unlike_structure), unlike_structure), none);
    const auto edge_a = hn::Abs(hn::Sub(hn::LoadU(d, a + x), mean_a));
    const auto edge_b = hn::Abs(hn::Sub(hn::LoadU(d, b + x), mean_b));
    const auto edges = hn::Sub(hn::Div(hn::Add(one, edge_b), hn::Add(one, edge_a)), one);
    const auto more = hn::Max(edges, none), less = hn::Max(hn::Neg(edges), none);
    structure = hn::Add(structure, unlike);
    structure4 = hn::Add(structure4, fourth(unlike));
    added = hn::Add(added, more);
    added4 = hn::Add(added4, fourth(more));
    lost = hn::Add(lost, less);
    lost4 = hn::Add(lost4, fourth(less));
  }
  const auto sum = [&](auto lanes_of) HWY_ATTR { return double{hn::GetLane(hn::SumOfLanes(d, lanes_of))}; };
  errors.structure += sum(structure);
  errors.structure4 += sum(structure4);
  errors.added += sum(added);
  errors.added4 += sum(added4);
  errors.lost += sum(lost);
  errors.lost4 += sum(lost4);
  return x;
}

PlaneErrors SumPlaneErrorsT(const float* a, const float* b, int width, int height) {
  const auto row_of = [&](const float* plane, int y) { return plane + static_cast<std::ptrdiff_t>(y) * width; };
  std::vector<float> padded(static_cast<std::size_t>(width) + 2 * kReach);
  std::vector<Ring> rings(4, Ring(width));
  std::vector<std::vector<float>> rows(4, std::vector<float>(static_cast<std::size_t>(width)));
  PlaneErrors errors;
  for (int next = 0, y = 0; y < height; ++y) {
    for (; next < std::min(height, y + kReach + 1); ++next) {
      const float *at_a = row_of(a, next), *at_b = row_of(b, next);
      const auto first = [&](auto d, int x) HWY_ATTR { return hn::LoadU(d, at_a + x); };
      const auto second = [&](auto d, int x) HWY_ATTR { return hn::LoadU(d, at_b + x); };
      const auto squares = [&](auto d, int x) HWY_ATTR {
        const auto of_a = hn::LoadU(d, at_a + x), of_b = hn::LoadU(d, at_b + x);
        return hn::MulAdd(of_a, of_a, hn::Mul(of_b, of_b));
      };
      const auto differences = [&](auto d, int x) HWY_ATTR {
        const auto apart = hn::Sub(hn::LoadU(d, at_a + x), hn::LoadU(d, at_b + x));
        return hn::Mul(apart, apart);
      };
      BlurAcross(first, width, padded.data(), rings[0].row(next));
      BlurAcross(second, width, padded.data(), rings[1].row(next));
      BlurAcross(squares, width, padded.data(), rings[2].row(next));
      BlurAcross(differences, width, padded.data(), rings[3].row(next));
    }
    for (std::size_t i = 0; i < rings.size(); ++i) rings[i].BlurDown(y, height, rows[i].data());
    const BlurredRow blurred{rows[0].data(), rows[1].data(), rows[2].data(), rows[3].data()};
    const int left = AddErrors(hn::ScalableTag<float>(), 0, row_of(a, y), row_of(b, y), blurred, width, errors);
    AddErrors(hn::CappedTag<float, 1>(), left, row_of(a, y), row_of(b, y), blurred, width, errors);
  }
  return errors;
}

}  // namespace HWY_NAMESPACE
}  // namespace kettle::kernels
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace kettle::kernels {

HWY_EXPORT(LinearToXybT);
HWY_EXPORT(SumPlaneErrorsT);
HWY_EXPORT(HalveRowT);
HWY_EXPORT(LightOfRowT);

void LinearToXyb(const float* red, const float* green, const float* blue, int count, float* x, float* y, float* b) {
  HWY_DYNAMIC_DISPATCH(LinearToXybT)(red, green, blue, count, x, y, b);
}
void HalveRow(const float* upper, const float* lower, int width, float* out) {
  HWY_DYNAMIC_DISPATCH(HalveRowT)(upper, lower, width, out);
}
void LightOfRow(const float* luma, const float* cb, const float* cr, int count, const YcbcrToRgb& matrix,
                const float* table, int steps, float* red, float* green, float* blue) {
  HWY_DYNAMIC_DISPATCH(LightOfRowT)(luma, cb, cr, count, matrix, table, steps, red, green, blue);
}
PlaneErrors SumPlaneErrors(const float* reference, const float* distorted, int width, int height) {
  return HWY_DYNAMIC_DISPATCH(SumPlaneErrorsT)(reference, distorted, width, height);
}

}  // namespace kettle::kernels
#endif
