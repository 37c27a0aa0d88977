// SPDX-License-Identifier: Apache-2.0
// Luma metrics of one pair of pictures.
#pragma once

#include <cstddef>
#include <cstdint>

namespace kettle {

// 8-bit samples, `stride` bytes from row to row; not owned.
struct PlaneView {
  const std::uint8_t* data;
  std::ptrdiff_t stride;
  int width, height;
};

struct PlaneMetrics {
  double mean_squared_error = 0;
  double ssim = 0;
};

// Compares two planes of the same size, at least 8x8.
//  - Mean squared error over all samples.
//  - SSIM of Wang, Bovik, Sheikh and Simoncelli, "Image quality assessment: from error visibility to
//    structural similarity", IEEE Trans. Image Processing 13(4), 2004, eq. 13 with K1 = 0.01, K2 = 0.03,
//    L = 255; means and unbiased (co)variances over 8x8 windows at steps of 4 with uniform weights;
//    the mean over all windows. Rows and columns past the last whole 4x4 block count for the error only.
PlaneMetrics Compare(const PlaneView& a, const PlaneView& b);

// PSNR in dB for 8-bit samples; 100 for no error, which is also the most it gives.
double PsnrDb(double mean_squared_error);

// SSIM on the scale people can compare: -10 log10(1 - ssim), at most 100.
double SsimDb(double ssim);

}  // namespace kettle
