// SPDX-License-Identifier: Apache-2.0
// A loop over a row of samples, for SSIMULACRA 2's inner loops: included once for each instruction set (Highway's
// "-inl.h" files).
#if defined(KETTLE_QUALITY_VECTORS_INL) == defined(HWY_TARGET_TOGGLE)
#ifdef KETTLE_QUALITY_VECTORS_INL
#undef KETTLE_QUALITY_VECTORS_INL
#else
#define KETTLE_QUALITY_VECTORS_INL
#endif

#include <hwy/highway.h>

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

}  // namespace HWY_NAMESPACE
}  // namespace kettle::kernels
HWY_AFTER_NAMESPACE();
#endif
