// SPDX-License-Identifier: Apache-2.0
// Loading and pairing of samples, for the metrics' inner loops: included once for each instruction set (Highway's
// "-inl.h" files).
#include "kettle/quality/kernels.h"

// Shared by all targets: defined once.
#ifndef KETTLE_QUALITY_SAMPLES_ONCE
#define KETTLE_QUALITY_SAMPLES_ONCE
namespace kettle::kernels {
inline constexpr float kC1 = 0.01f * 255 * 0.01f * 255, kC2 = 0.03f * 255 * 0.03f * 255;  // of SSIM, for 8 bits
}
#endif

#if defined(KETTLE_QUALITY_SAMPLES_INL) == defined(HWY_TARGET_TOGGLE)
#ifdef KETTLE_QUALITY_SAMPLES_INL
#undef KETTLE_QUALITY_SAMPLES_INL
#else
#define KETTLE_QUALITY_SAMPLES_INL
#endif

#include <hwy/highway.h>

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

}  // namespace HWY_NAMESPACE
}  // namespace kettle::kernels
HWY_AFTER_NAMESPACE();
#endif
