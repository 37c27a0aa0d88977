// SPDX-License-Identifier: Apache-2.0
// How two planes of XYB differ, compiled for every vector instruction set that Highway knows.
#pragma once

#include <hwy/aligned_allocator.h>

#include <cstddef>

namespace kettle::kernels {

// Of all samples of a plane: how much is not similar, what was added to smooth places, what was lost of detail; and the
// fourth powers of each.
struct PlaneErrors {
  double structure = 0, structure4 = 0, added = 0, added4 = 0, lost = 0, lost4 = 0;
};

// Sums them up, band by band, so that what was just made is still in the cache. One object serves many planes, one
// after the other: fresh memory for each would cost a good part of it.
class PlaneErrorSums {
 public:
  static constexpr int kReach = 4;  // rows that a blur looks at, up and down

  // A plane of that size, in samples. Without `structure`, which takes half of the time, that is left 0.
  void Begin(int width, int height, bool structure);
  // The next rows of both planes, without padding; from the second band on, the kReach rows before them lie before
  // them in memory too.
  void Add(const float* reference, const float* distorted, int rows);
  // Once all rows were added.
  const PlaneErrors& errors() const { return errors_; }

 private:
  int width_ = 0, height_ = 0, next_ = 0;
  bool structure_ = false;
  std::size_t room_ = 0;
  hwy::AlignedFreeUniquePtr<float[]> rings_;  // blurred rows, of each strip of columns
  PlaneErrors errors_;
};

}  // namespace kettle::kernels
