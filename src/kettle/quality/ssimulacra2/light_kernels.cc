// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/ssimulacra2/light_kernels.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "kettle/quality/ssimulacra2/light_kernels.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "kettle/quality/ssimulacra2/vectors-inl.h"

// Shared by all targets: defined once.
#ifndef KETTLE_QUALITY_LIGHT_ONCE
#define KETTLE_QUALITY_LIGHT_ONCE

namespace kettle::kernels {

// From linear light to the cones' responses: red, green, blue for each of long, medium, short.
inline constexpr float kCones[3][3] = {{0.30f, 0.622f, 0.078f},
                                       {0.23f, 0.692f, 0.078f},
                                       {0.24342268924547819f, 0.20476744424496821f, 0.5518098665095536f}};
inline constexpr float kConeBias = 0.0037930732552754493f;

// A guess at the inverse of a cube root: this, as bits, less a third of the number's. Its cube times the number is
// within 0.103 of 1; (1 - off)^(-1/3) as a polynomial of that, its Chebyshev series as far as the fourth degree, makes
// it 5e-7 at most. The constant first.
inline constexpr std::int32_t kGuess = 0x54a1f400;
inline constexpr float kInverseRoot[] = {1.000000004f, 0.3333290417f, 0.2222153438f, 0.1744809851f, 0.1457860954f};

// Light of a sample of sRGB above 0.04045, ((s + 0.055) / 1.055)^2.4, as a polynomial of the place in that range, from
// -1 to 1: its Chebyshev series as far as the eighth degree, at most 8e-7 off. The constant first.
inline constexpr float kLight[] = {2.3324074745e-01f,  4.6688747415e-01f,  2.7259949352e-01f,
                                   3.0362796334e-02f,  -3.8455077512e-03f, 8.5582754444e-04f,
                                   -2.3439822470e-04f, 3.2793319575e-04f,  -1.9473357260e-04f};
inline constexpr float kDarkest = 0.04045f;  // below it light is a straight line

}  // namespace kettle::kernels
#endif

HWY_BEFORE_NAMESPACE();
namespace kettle::kernels {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

// The cube root of a positive number, by its inverse: a guess from the exponent, then the polynomial by how far its
// cube is off.
template <class D>
HWY_INLINE hn::Vec<D> CubeRoot(D d, hn::Vec<D> a) {
  const hn::Rebind<std::int32_t, D> whole;
  const auto third = hn::ConvertTo(whole, hn::Mul(hn::ConvertTo(d, hn::BitCast(whole, a)), hn::Set(d, 1.0f / 3)));
  const auto guess = hn::BitCast(d, hn::Sub(hn::Set(whole, kGuess), third));
  const auto off = hn::NegMulAdd(a, hn::Mul(hn::Mul(guess, guess), guess), hn::Set(d, 1.0f));
  auto correction = hn::Set(d, kInverseRoot[4]);
  for (int i = 3; i >= 0; --i) correction = hn::MulAdd(correction, off, hn::Set(d, kInverseRoot[i]));
  const auto inverse = hn::Mul(guess, correction);
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

}  // namespace HWY_NAMESPACE
}  // namespace kettle::kernels
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace kettle::kernels {

HWY_EXPORT(LinearToXybT);
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

}  // namespace kettle::kernels
#endif
