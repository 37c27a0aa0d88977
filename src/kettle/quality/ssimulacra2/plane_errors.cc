// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/ssimulacra2/plane_errors.h"

#include <algorithm>
#include <cstddef>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "kettle/quality/ssimulacra2/plane_errors.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "kettle/quality/ssimulacra2/vectors-inl.h"

// Shared by all targets: defined once.
#ifndef KETTLE_QUALITY_PLANE_ERRORS_ONCE
#define KETTLE_QUALITY_PLANE_ERRORS_ONCE

namespace kettle::kernels {

// A Gaussian of sigma 1.5 as a sum of three cosines over nine samples: Charalampidis, "Recursive implementation of the
// Gaussian filter using truncated cosine functions", IEEE Trans. Signal Processing 64(14), 2016, eq. 33 to 56 with
// N = 5. The middle, then outwards.
inline constexpr int kReach = PlaneErrorSums::kReach;
inline constexpr float kTaps[kReach + 1] = {2.6462110549e-01f, 2.1292859201e-01f, 1.0933537278e-01f, 3.6011114658e-02f,
                                            9.4143678097e-03f};

inline constexpr float kSmall = 0.0009f;  // keeps the quotient of two small variances near 1

// A picture is worked on in strips of columns, so that the rows which a blur needs stay in the first cache.
inline constexpr int kStripWidth = 192;
// The blurred planes that errors are made of: both pictures, the squares of both together, those of what lies between.
inline constexpr int kPlanes = 4;
// Rows of them that a blur down needs: a ring. The planes of a row lie one after the other.
inline constexpr int kRows = 2 * kReach + 1;
inline constexpr std::ptrdiff_t kRow = std::ptrdiff_t{kPlanes} * kStripWidth;  // samples
inline constexpr std::ptrdiff_t kRing = kRow * kRows;
// Beside a strip: more of a row than a blur reaches, in whole vectors of any size.
inline constexpr int kMargin = 16;
inline constexpr std::ptrdiff_t kPadded = kStripWidth + 2 * kMargin;

// Rows of a plane, from number `first` on.
struct Band {
  const float *reference, *distorted;
  int width, height;  // of the plane
  int first, rows;
  // Where rows that lie outside the plane are read, and where one row of a strip and its margins is made.
  const float* outside;
  float* padded;
};

}  // namespace kettle::kernels
#endif

HWY_BEFORE_NAMESPACE();
namespace kettle::kernels {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

struct Strip {
  Strip(int from, int picture_width)
      : left(from),
        width(std::min(kStripWidth, picture_width - from)),
        before(std::min(kMargin, left)),
        after(std::min(kMargin, picture_width - left - width)) {}

  int left, width;    // in the picture
  int before, after;  // samples of the picture on either side that a blur may look at
};

// One row of what `sample(tag, x)` makes of the picture's samples, blurred across; outside the picture there is
// nothing. `padded` has kMargin samples before and after the strip's; those outside the picture are zero.
template <class Sample>
HWY_INLINE void BlurAcross(const Sample& sample, const Strip& strip, float* padded, float* out) {
  float* row = padded + kMargin;
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

// One row of both pictures, of all planes, into a row of the ring.
template <bool kStructure>
HWY_INLINE void BlurRowAcross(const float* a, const float* b, const Strip& strip, float* padded, float* row) {
  BlurAcross([&](auto d, int x) HWY_ATTR { return hn::LoadU(d, a + x); }, strip, padded, row);
  BlurAcross([&](auto d, int x) HWY_ATTR { return hn::LoadU(d, b + x); }, strip, padded, row + kStripWidth);
  if constexpr (!kStructure) return;
  const auto squares = [&](auto d, int x) HWY_ATTR {
    const auto of_a = hn::LoadU(d, a + x), of_b = hn::LoadU(d, b + x);
    return hn::MulAdd(of_a, of_a, hn::Mul(of_b, of_b));
  };
  const auto differences = [&](auto d, int x) HWY_ATTR {
    const auto apart = hn::Sub(hn::LoadU(d, a + x), hn::LoadU(d, b + x));
    return hn::Mul(apart, apart);
  };
  BlurAcross(squares, strip, padded, row + std::ptrdiff_t{2} * kStripWidth);
  BlurAcross(differences, strip, padded, row + std::ptrdiff_t{3} * kStripWidth);
}

// What a blur down takes of the ring for one row: the middle, then those above and below, outwards.
struct Neighbours {
  Neighbours(const float* ring, int y, const Band& band) {
    const auto row = [&](int at) { return at < 0 || at >= band.height ? band.outside : ring + kRow * (at % kRows); };
    middle = row(y);
    for (int k = 1; k <= kReach; ++k) {
      above[k - 1] = row(y - k);
      below[k - 1] = row(y + k);
    }
  }
  template <class D>
  HWY_INLINE hn::Vec<D> Blurred(D d, int plane, int x) const {
    const std::ptrdiff_t at = std::ptrdiff_t{plane} * kStripWidth + x;
    auto sum = hn::Mul(hn::LoadU(d, middle + at), hn::Set(d, kTaps[0]));
    for (int k = 0; k < kReach; ++k)
      sum =
          hn::MulAdd(hn::Add(hn::LoadU(d, above[k] + at), hn::LoadU(d, below[k] + at)), hn::Set(d, kTaps[k + 1]), sum);
    return sum;
  }

  const float* middle;
  const float *above[kReach], *below[kReach];
};

// A division takes as long as a blur; this one goes by the inverse, a guess of 12 bits that a step of Newton's doubles.
template <class D>
HWY_INLINE hn::Vec<D> Quotient(D d, hn::Vec<D> dividend, hn::Vec<D> divisor) {
  const auto guess = hn::ApproximateReciprocal(divisor);
  return hn::Mul(dividend, hn::Mul(guess, hn::NegMulAdd(divisor, guess, hn::Set(d, 2.0f))));
}

// Adds the errors of a row's samples from `x` on, as many as whole vectors of `d` fill; gives the first one left.
template <bool kStructure, class D>
HWY_INLINE int AddErrors(D d, int x, const float* a, const float* b, const Neighbours& rows, int width,
                         PlaneErrors& errors) {
  const int lanes = static_cast<int>(hn::Lanes(d));
  const auto one = hn::Set(d, 1.0f), none = hn::Zero(d);
  auto structure = none, structure4 = none, added = none, added4 = none, lost = none, lost4 = none;
  const auto fourth = [](auto value) HWY_ATTR {
    const auto square = hn::Mul(value, value);
    return hn::Mul(square, square);
  };
  for (; x + lanes <= width; x += lanes) {
    const auto mean_a = rows.Blurred(d, 0, x), mean_b = rows.Blurred(d, 1, x);
    if constexpr (kStructure) {
      const auto apart = hn::Sub(mean_a, mean_b);
      // 1 - SSIM without the covariance, which would be the difference of two nearly equal numbers:
      // 2 cov(a, b) = var(a) + var(b) - var(a - b).
      const auto variances = hn::NegMulAdd(mean_b, mean_b, hn::NegMulAdd(mean_a, mean_a, rows.Blurred(d, 2, x)));
      const auto unshared = hn::NegMulAdd(apart, apart, rows.Blurred(d, 3, x));
      const auto unlike_structure = Quotient(d, unshared, hn::Add(variances, hn::Set(d, kSmall)));
      const auto unlike =
          hn::Max(hn::MulAdd(hn::Mul(apart, apart), hn::Sub(one, unlike_structure), unlike_structure), none);
      structure = hn::Add(structure, unlike);
      structure4 = hn::Add(structure4, fourth(unlike));
    }
    const auto edge_a = hn::Abs(hn::Sub(hn::LoadU(d, a + x), mean_a));
    const auto edge_b = hn::Abs(hn::Sub(hn::LoadU(d, b + x), mean_b));
    const auto edges = Quotient(d, hn::Sub(edge_b, edge_a), hn::Add(one, edge_a));
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

// Each row goes into the ring; with it the row kReach above is whole, and with the last one all that are left.
template <bool kStructure>
void SumStrip(const Band& band, const Strip& strip, float* ring, PlaneErrors& errors) {
  std::fill_n(band.padded, kMargin, 0.0f);
  std::fill_n(band.padded + kMargin + strip.width, kMargin, 0.0f);
  const auto start = [&](int y) { return std::ptrdiff_t{y - band.first} * band.width; };
  const auto add_row = [&](int y) HWY_ATTR {
    const Neighbours rows(ring, y, band);
    const float *a = band.reference + start(y) + strip.left, *b = band.distorted + start(y) + strip.left;
    const int left = AddErrors<kStructure>(hn::ScalableTag<float>(), 0, a, b, rows, strip.width, errors);
    AddErrors<kStructure>(hn::CappedTag<float, 1>(), left, a, b, rows, strip.width, errors);
  };
  const int end = band.first + band.rows;
  for (int y = band.first; y < end; ++y) {
    BlurRowAcross<kStructure>(band.reference + start(y), band.distorted + start(y), strip, band.padded,
                              ring + kRow * (y % kRows));
    if (y >= kReach) add_row(y - kReach);
  }
  if (end < band.height) return;
  for (int y = std::max(0, band.height - kReach); y < band.height; ++y) add_row(y);
}

void SumBandT(const Band& band, bool structure, float* rings, PlaneErrors& errors) {
  for (int left = 0; left < band.width; left += kStripWidth, rings += kRing) {
    const Strip strip(left, band.width);
    if (structure)
      SumStrip<true>(band, strip, rings, errors);
    else
      SumStrip<false>(band, strip, rings, errors);
  }
}

}  // namespace HWY_NAMESPACE
}  // namespace kettle::kernels
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace kettle::kernels {

HWY_EXPORT(SumBandT);

// Room for a row outside the picture and a padded one, then for the rings.
void PlaneErrorSums::Begin(int width, int height, bool structure) {
  width_ = width;
  height_ = height;
  structure_ = structure;
  next_ = 0;
  errors_ = {};
  const auto strips = static_cast<std::size_t>((width + kStripWidth - 1) / kStripWidth);
  const std::size_t room = kRow + kPadded + strips * kRing;
  if (room <= room_) return;
  rings_ = hwy::AllocateAligned<float>(room);
  room_ = room;
  std::fill_n(rings_.get(), kRow, 0.0f);
}

void PlaneErrorSums::Add(const float* reference, const float* distorted, int rows) {
  float *padded = rings_.get() + kRow, *rings = padded + kPadded;
  const Band band{reference, distorted, width_, height_, next_, rows, rings_.get(), padded};
  HWY_DYNAMIC_DISPATCH(SumBandT)(band, structure_, rings, errors_);
  next_ += rows;
}

}  // namespace kettle::kernels
#endif
