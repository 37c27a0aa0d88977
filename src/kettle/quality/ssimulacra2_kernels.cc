// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/ssimulacra2_kernels.h"

#include <hwy/aligned_allocator.h>
#include <hwy/cache_control.h>

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

// Light of a sample of sRGB above 0.04045, ((s + 0.055) / 1.055)^2.4, as a polynomial of the place in that range, from
// -1 to 1: its Chebyshev series as far as the eighth degree, at most 8e-7 off. The constant first.
inline constexpr float kLight[] = {2.3324074745e-01f,  4.6688747415e-01f,  2.7259949352e-01f,
                                   3.0362796334e-02f,  -3.8455077512e-03f, 8.5582754444e-04f,
                                   -2.3439822470e-04f, 3.2793319575e-04f,  -1.9473357260e-04f};
inline constexpr float kDarkest = 0.04045f;  // below it light is a straight line

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

// The cube root of a positive number, by its inverse: a guess from the exponent, 4 % off at most, then Householder's
// iteration of the second order, which needs no division, twice (each triples the digits).
template <class D>
HWY_INLINE hn::Vec<D> CubeRoot(D d, hn::Vec<D> a) {
  const hn::Rebind<std::int32_t, D> whole;
  const auto third = hn::ConvertTo(whole, hn::Mul(hn::ConvertTo(d, hn::BitCast(whole, a)), hn::Set(d, 1.0f / 3)));
  auto inverse = hn::BitCast(d, hn::Sub(hn::Set(whole, 0x54a2fa8c), third));
  for (int i = 0; i < 2; ++i) {
    const auto cube = hn::Mul(hn::Mul(inverse, inverse), inverse);
    const auto off = hn::NegMulAdd(a, cube, hn::Set(d, 1.0f));
    const auto slope = hn::MulAdd(off, hn::Set(d, 2.0f / 9), hn::Set(d, 1.0f / 3));
    inverse = hn::Mul(inverse, hn::MulAdd(off, slope, hn::Set(d, 1.0f)));
  }
  return hn::Mul(a, hn::Mul(inverse, inverse));
}

template <bool kOnlyLuma>
void LinearToXybRow(const float* red, const float* green, const float* blue, int count, float* x, float* y, float* b) {
  const float dark = std::cbrt(kConeBias);
  ForEachVector(count, [&](auto d, int i) HWY_ATTR {
    const auto r = hn::LoadU(d, red + i), g = hn::LoadU(d, green + i), bl = hn::LoadU(d, blue + i);
    const auto cone = [&](const float* weights) HWY_ATTR {
      const auto mixed = hn::MulAdd(
          r, hn::Set(d, weights[0]),
          hn::MulAdd(g, hn::Set(d, weights[1]), hn::MulAdd(bl, hn::Set(d, weights[2]), hn::Set(d, kConeBias))));
      return hn::Sub(CubeRoot(d, hn::Max(mixed, hn::Set(d, 1e-9f))), hn::Set(d, dark));
    };
    const auto l = cone(kCones[0]), m = cone(kCones[1]);
    const auto half = hn::Set(d, 0.5f);
    const auto luma = hn::Mul(hn::Add(l, m), half);
    hn::StoreU(hn::Add(luma, hn::Set(d, 0.01f)), d, y + i);
    if constexpr (kOnlyLuma) return;
    const auto s = cone(kCones[2]);
    hn::StoreU(hn::MulAdd(hn::Mul(hn::Sub(l, m), half), hn::Set(d, 14.0f), hn::Set(d, 0.42f)), d, x + i);
    hn::StoreU(hn::Add(hn::Sub(s, luma), hn::Set(d, 0.55f)), d, b + i);
  });
}

void LinearToXybT(const float* red, const float* green, const float* blue, int count, float* x, float* y, float* b) {
  if (x && b)
    LinearToXybRow<false>(red, green, blue, count, x, y, b);
  else
    LinearToXybRow<true>(red, green, blue, count, x, y, b);
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

// Samples of 8 bits as numbers.
template <class D>
HWY_INLINE hn::Vec<D> LoadBytes(D d, const std::uint8_t* bytes) {
  const hn::Rebind<std::uint8_t, D> narrow;
  const hn::Rebind<std::int32_t, D> whole;
  return hn::ConvertTo(d, hn::PromoteTo(whole, hn::LoadU(narrow, bytes)));
}

// Light of a sample of sRGB (IEC 61966-2-1); samples beyond 0 and 1 are taken for those.
template <class D>
HWY_INLINE hn::Vec<D> Light(D d, hn::Vec<D> sample) {
  const auto s = hn::Min(hn::Max(sample, hn::Zero(d)), hn::Set(d, 1.0f));
  const auto place = hn::MulAdd(s, hn::Set(d, 2 / (1 - kDarkest)), hn::Set(d, -(1 + kDarkest) / (1 - kDarkest)));
  auto light = hn::Set(d, kLight[8]);
  for (int i = 7; i >= 0; --i) light = hn::MulAdd(light, place, hn::Set(d, kLight[i]));
  return hn::IfThenElse(hn::Le(s, hn::Set(d, kDarkest)), hn::Mul(s, hn::Set(d, 1 / 12.92f)), light);
}

void LightOfRowT(const std::uint8_t* luma, const float* cb, const float* cr, int count, const YcbcrToRgb& matrix,
                 float* red, float* green, float* blue) {
  ForEachVector(count, [&](auto d, int x) HWY_ATTR {
    const auto y = hn::Mul(hn::Sub(LoadBytes(d, luma + x), hn::Set(d, matrix.black)), hn::Set(d, matrix.luma_scale));
    const auto b = hn::Sub(hn::LoadU(d, cb + x), hn::Set(d, 128.0f)),
               r = hn::Sub(hn::LoadU(d, cr + x), hn::Set(d, 128.0f));
    hn::StoreU(Light(d, hn::MulAdd(r, hn::Set(d, matrix.red_of_cr), y)), d, red + x);
    hn::StoreU(
        Light(d, hn::MulAdd(r, hn::Set(d, matrix.green_of_cr), hn::MulAdd(b, hn::Set(d, matrix.green_of_cb), y))), d,
        green + x);
    hn::StoreU(Light(d, hn::MulAdd(b, hn::Set(d, matrix.blue_of_cb), y)), d, blue + x);
  });
}

void ChromaRowT(const std::uint8_t* near, const std::uint8_t* far, int width, float* row) {
  // Made in the second half of the row, and doubled from the left: what is written is never ahead of what is read.
  float* single = row + width;
  ForEachVector(width, [&](auto d, int x) HWY_ATTR {
    hn::StoreU(hn::MulAdd(LoadBytes(d, near + x), hn::Set(d, 0.75f), hn::Mul(LoadBytes(d, far + x), hn::Set(d, 0.25f))),
               d, single + x);
  });
  const hn::ScalableTag<float> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes < width; x += lanes) {
    const auto left = hn::LoadU(d, single + x), right = hn::LoadU(d, single + x + 1);
    hn::StoreInterleaved2(left, hn::Mul(hn::Add(left, right), hn::Set(d, 0.5f)), d, row + 2 * x);
  }
  for (; x < width; ++x) {
    const float left = single[x], right = x + 1 < width ? single[x + 1] : left;
    row[2 * x] = left;
    row[2 * x + 1] = (left + right) / 2;
  }
}

// The columns of a picture that are worked on at a time, so that the rows which a blur needs stay in the first cache.
struct Strip {
  static constexpr int kWidth = 192;
  // More of a row than a blur reaches, in whole vectors of any size.
  static constexpr int kMargin = 16;
  Strip(int from, int picture_width)
      : left(from),
        width(std::min(kWidth, picture_width - from)),
        before(std::min(kMargin, left)),
        after(std::min(kMargin, picture_width - left - width)) {}

  int left, width;    // in the picture
  int before, after;  // samples of the picture on either side that a blur may look at
};

// One row of what `sample(tag, x)` makes of the picture's samples, blurred across; outside the picture there is
// nothing. `padded` has kMargin samples before and after the strip's; those outside the picture are zero.
template <class Sample>
HWY_INLINE void BlurAcross(const Sample& sample, const Strip& strip, float* padded, float* out) {
  float* row = padded + Strip::kMargin;
  float* start = row - strip.before;
  const int first = strip.left - strip.before;
  ForEachVector(strip.before + strip.width + strip.after,
                [&](auto d, int x) HWY_ATTR { hn::StoreU(sample(d, first + x), d, start + x); });
  ForEachVector(strip.width, [&](auto d, int x) HWY_ATTR {
    auto sum = hn::Mul(hn::LoadU(d, row + x), hn::Set(d, kTaps[0]));
    for (int k = 1; k <= kReach; ++k)
      sum = hn::MulAdd(hn::Add(hn::LoadU(d, row + x - k), hn::LoadU(d, row + x + k)), hn::Set(d, kTaps[k]), sum);
    hn::StoreU(sum, d, out + x);
  });
}

// The rows of one blurred plane that the next row needs, as a ring; rows outside the picture are empty.
class Ring {
 public:
  static constexpr int kRows = 2 * kReach + 1;
  // `rows`: kRows rows of a strip's width to write to; `outside`: one of zeros.
  Ring(float* rows, const float* outside) : rows_(rows), outside_(outside) {}
  float* row(int y) { return rows_ + static_cast<std::ptrdiff_t>(y % kRows) * Strip::kWidth; }

  // Row `y` blurred down as well; the rows around it that lie in the picture are in the ring.
  HWY_INLINE void BlurDown(int y, int width, int height, float* out) {
    const float* middle = row(y);
    const float *above[kReach], *below[kReach];
    for (int k = 1; k <= kReach; ++k) {
      above[k - 1] = y >= k ? row(y - k) : outside_;
      below[k - 1] = y + k < height ? row(y + k) : outside_;
    }
    ForEachVector(width, [&](auto d, int x) HWY_ATTR {
      auto sum = hn::Mul(hn::LoadU(d, middle + x), hn::Set(d, kTaps[0]));
      for (int k = 1; k <= kReach; ++k)
        sum = hn::MulAdd(hn::Add(hn::LoadU(d, above[k - 1] + x), hn::LoadU(d, below[k - 1] + x)), hn::Set(d, kTaps[k]),
                         sum);
      hn::StoreU(sum, d, out + x);
    });
  }

 private:
  float* rows_;
  const float* outside_;
};

// A strip's rows, a thread's own: fresh memory for each plane would cost a good part of it.
class Rows {
 public:
  static constexpr int kCount = 4 * Ring::kRows + 4;
  Rows() : samples_(hwy::AllocateAligned<float>((kCount + 1) * Strip::kWidth + kPadded)) {
    std::fill_n(at(kCount), Strip::kWidth + kPadded, 0.0f);
  }
  float* at(int row) { return samples_.get() + std::ptrdiff_t{row} * Strip::kWidth; }
  const float* outside() { return at(kCount); }  // of zeros
  // With zeros where `strip` has no sample of the picture beside it.
  float* PaddedFor(const Strip& strip) {
    float* padded = at(kCount + 1);
    std::fill_n(padded, Strip::kMargin, 0.0f);
    std::fill_n(padded + Strip::kMargin + strip.width, Strip::kMargin, 0.0f);
    return padded;
  }

 private:
  static constexpr int kPadded = Strip::kWidth + 2 * Strip::kMargin;
  hwy::AlignedFreeUniquePtr<float[]> samples_;
};

struct BlurredRow {
  const float *mean_a, *mean_b, *squares, *differences;  // of both together; of the squares of what lies between them
};

// Adds the errors of a row's samples from `x` on, as many as whole vectors of `d` fill; gives the first one left.
template <bool kStructure, class D>
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
    if constexpr (kStructure) {
      const auto apart = hn::Sub(mean_a, mean_b);
      // 1 - SSIM without the covariance, which would be the difference of two nearly equal numbers:
      // 2 cov(a, b) = var(a) + var(b) - var(a - b).
      const auto variances =
          hn::NegMulAdd(mean_b, mean_b, hn::NegMulAdd(mean_a, mean_a, hn::LoadU(d, blurred.squares + x)));
      const auto unshared = hn::NegMulAdd(apart, apart, hn::LoadU(d, blurred.differences + x));
      const auto unlike_structure = hn::Div(unshared, hn::Add(variances, hn::Set(d, kSmall)));
      const auto unlike =
          hn::Max(hn::MulAdd(hn::Mul(apart, apart), hn::Sub(one, unlike_structure), unlike_structure), none);
      structure = hn::Add(structure, unlike);
      structure4 = hn::Add(structure4, fourth(unlike));
    }
    const auto edge_a = hn::Abs(hn::Sub(hn::LoadU(d, a + x), mean_a));
    const auto edge_b = hn::Abs(hn::Sub(hn::LoadU(d, b + x), mean_b));
    const auto edges = hn::Sub(hn::Div(hn::Add(one, edge_b), hn::Add(one, edge_a)), one);
    const auto more = hn::Max(edges, none), less = hn::Max(hn::Neg(edges), none);
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

template <bool kStructure>
void SumStrip(const float* a, const float* b, int picture_width, int height, const Strip& strip, Rows& rows,
              PlaneErrors& errors) {
  constexpr int kPlanes = kStructure ? 4 : 2, kAhead = 4, kCacheLine = 16;
  std::vector<Ring> rings;
  for (int i = 0; i < kPlanes; ++i) rings.emplace_back(rows.at(kPlanes + i * Ring::kRows), rows.outside());
  float* padded = rows.PaddedFor(strip);
  for (int next = 0, y = 0; y < height; ++y) {
    for (; next < std::min(height, y + kReach + 1); ++next) {
      const std::ptrdiff_t start = std::ptrdiff_t{next} * picture_width;
      const float *at_a = a + start, *at_b = b + start;
      if (next + kAhead < height)
        for (int x = strip.left; x < strip.left + strip.width; x += kCacheLine) {
          hwy::Prefetch(at_a + std::ptrdiff_t{kAhead} * picture_width + x);
          hwy::Prefetch(at_b + std::ptrdiff_t{kAhead} * picture_width + x);
        }
      BlurAcross([&](auto d, int x) HWY_ATTR { return hn::LoadU(d, at_a + x); }, strip, padded, rings[0].row(next));
      BlurAcross([&](auto d, int x) HWY_ATTR { return hn::LoadU(d, at_b + x); }, strip, padded, rings[1].row(next));
      if constexpr (!kStructure) continue;
      const auto squares = [&](auto d, int x) HWY_ATTR {
        const auto of_a = hn::LoadU(d, at_a + x), of_b = hn::LoadU(d, at_b + x);
        return hn::MulAdd(of_a, of_a, hn::Mul(of_b, of_b));
      };
      const auto differences = [&](auto d, int x) HWY_ATTR {
        const auto apart = hn::Sub(hn::LoadU(d, at_a + x), hn::LoadU(d, at_b + x));
        return hn::Mul(apart, apart);
      };
      BlurAcross(squares, strip, padded, rings[2].row(next));
      BlurAcross(differences, strip, padded, rings[3].row(next));
    }
    for (int i = 0; i < kPlanes; ++i) rings[static_cast<std::size_t>(i)].BlurDown(y, strip.width, height, rows.at(i));
    const BlurredRow blurred{rows.at(0), rows.at(1), rows.at(kPlanes - 2), rows.at(kPlanes - 1)};
    const std::ptrdiff_t start = std::ptrdiff_t{y} * picture_width + strip.left;
    const int left =
        AddErrors<kStructure>(hn::ScalableTag<float>(), 0, a + start, b + start, blurred, strip.width, errors);
    AddErrors<kStructure>(hn::CappedTag<float, 1>(), left, a + start, b + start, blurred, strip.width, errors);
  }
}

PlaneErrors SumPlaneErrorsT(const float* a, const float* b, int width, int height, bool structure) {
  thread_local Rows rows;
  PlaneErrors errors;
  for (int left = 0; left < width; left += Strip::kWidth) {
    const Strip strip(left, width);
    if (structure)
      SumStrip<true>(a, b, width, height, strip, rows, errors);
    else
      SumStrip<false>(a, b, width, height, strip, rows, errors);
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
HWY_EXPORT(ChromaRowT);

void LinearToXyb(const float* red, const float* green, const float* blue, int count, float* x, float* y, float* b) {
  HWY_DYNAMIC_DISPATCH(LinearToXybT)(red, green, blue, count, x, y, b);
}
void HalveRow(const float* upper, const float* lower, int width, float* out) {
  HWY_DYNAMIC_DISPATCH(HalveRowT)(upper, lower, width, out);
}
void LightOfRow(const std::uint8_t* luma, const float* cb, const float* cr, int count, const YcbcrToRgb& matrix,
                float* red, float* green, float* blue) {
  HWY_DYNAMIC_DISPATCH(LightOfRowT)(luma, cb, cr, count, matrix, red, green, blue);
}
void ChromaRow(const std::uint8_t* near, const std::uint8_t* far, int width, float* row) {
  HWY_DYNAMIC_DISPATCH(ChromaRowT)(near, far, width, row);
}
PlaneErrors SumPlaneErrors(const float* reference, const float* distorted, int width, int height, bool structure) {
  return HWY_DYNAMIC_DISPATCH(SumPlaneErrorsT)(reference, distorted, width, height, structure);
}

}  // namespace kettle::kernels
#endif
