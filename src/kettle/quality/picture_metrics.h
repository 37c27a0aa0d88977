// SPDX-License-Identifier: Apache-2.0
// How alike two pictures are, and how blocky one is.
#pragma once

#include <optional>

#include "kettle/media/picture_view.h"

namespace kettle {

struct PictureMetrics {
  double mse_y = 0, mse_u = 0, mse_v = 0;  // mean squared errors
  double ssim_y = 1;
  // Of the pictures that are scored: SSIMULACRA 2, MS-SSIM, and the blockiness of the distorted picture beyond the
  // reference's in squared grey levels.
  std::optional<double> score, ms_ssim_y, blockiness;
};

// Compares two 4:2:0 pictures of the same size, at least 16x16: squared errors and SSIM. Thread-safe.
PictureMetrics Compare(const PictureView& reference, const PictureView& distorted);

// The metrics by themselves, of planes of the same size.

struct LumaSimilarity {
  double mse = 0, ssim = 0;
};
// At least 8x8. Mean squared error over all samples, and SSIM of Wang, Bovik, Sheikh and Simoncelli, "Image quality
// assessment: from error visibility to structural similarity", IEEE Trans. Image Processing 13(4), 2004, eq. 13 with
// K1 = 0.01, K2 = 0.03, L = 255; means and unbiased (co)variances over 8x8 windows at steps of 4 with uniform weights;
// the mean over all windows. Rows and columns past the last whole 4x4 block count for the error only.
LumaSimilarity CompareLuma(const PlaneView& a, const PlaneView& b);

double MeanSquaredError(const PlaneView& a, const PlaneView& b);

// MS-SSIM of Wang, Simoncelli and Bovik, "Multi-scale structural similarity for image quality assessment", Asilomar
// Conference on Signals, Systems and Computers, 2003, eq. 7: five scales, each the 2x2 means of the one before,
// 11x11 Gaussian windows of sigma 1.5 that lie inside the picture, weights 0.0448, 0.2856, 0.3001, 0.2363 and 0.1333;
// luminance at the last scale only, within its mean. At the finest scale, whose weight is small, not all
// windows are looked at: every second across, every second or fourth down (tests hold the result to 1e-4). A
// picture with a side under 176 has room for fewer scales; their weights then are made to sum up to 1. Negative
// means count as 0. At least 11x11.
double MsSsim(const PlaneView& a, const PlaneView& b);

// Blocking effect factor of Yim and Bovik, "Quality assessment of deblocked images", IEEE Trans. Image Processing
// 20(1), 2011, eq. 6 to 10, for 8x8 blocks: how much more neighbours differ across block borders than within
// blocks, mean squared; 0 where they do not. No reference is needed, but the blocks must lie where the encoder put
// them: before any scaling. At least 16x16.
double Blockiness(const PlaneView& plane);

// PSNR in dB for 8-bit samples; 100 for no error, which is also the most it gives.
double PsnrDb(double mean_squared_error);

}  // namespace kettle
