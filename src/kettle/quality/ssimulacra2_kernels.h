// SPDX-License-Identifier: Apache-2.0
// The inner loops of SSIMULACRA 2, compiled for every vector instruction set that Highway knows.
#pragma once

namespace kettle::kernels {

// XYB of linear light, shifted and scaled so that all of it is positive. 1 is white; planes of `count` samples.
void LinearToXyb(const float* red, const float* green, const float* blue, int count, float* x, float* y, float* b);

// Of all samples of a plane: how much is not similar, what was added to smooth places, what was lost of detail; and the
// fourth powers of each.
struct PlaneErrors {
  double structure = 0, structure4 = 0, added = 0, added4 = 0, lost = 0, lost4 = 0;
};
// Two planes of XYB of the same size, without padding.
PlaneErrors SumPlaneErrors(const float* reference, const float* distorted, int width, int height);

}  // namespace kettle::kernels
