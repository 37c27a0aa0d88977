// SPDX-License-Identifier: Apache-2.0
// The inner loops from coded pictures to SSIMULACRA 2's XYB, compiled for every vector instruction set that Highway
// knows.
#pragma once

#include <cstdint>

namespace kettle::kernels {

// XYB of linear light, shifted and scaled so that all of it is positive. 1 is white; planes of `count` samples.
// Without `x` or `b`: luma alone.
void LinearToXyb(const float* red, const float* green, const float* blue, int count, float* x, float* y, float* b);

// How Y'CbCr samples of 8 bits become R'G'B' from 0 to 1: luma less `black`, scaled; chroma less 128, by these weights.
struct YcbcrToRgb {
  float black = 0, luma_scale = 0, red_of_cr = 0, green_of_cb = 0, green_of_cr = 0, blue_of_cb = 0;
};
// A row of `count` samples as light, from 0 to 1.
void LightOfRow(const std::uint8_t* luma, const float* cb, const float* cr, int count, const YcbcrToRgb& matrix,
                float* red, float* green, float* blue);

// Chroma at a row of luma: three quarters of the `near` row of chroma, a quarter of the `far` one, and doubled across:
// `row` takes 2 * `width` samples.
void ChromaRow(const std::uint8_t* near, const std::uint8_t* far, int width, float* row);

// A row of 2x2 means of two rows; the last sample of an odd width counts twice.
void HalveRow(const float* upper, const float* lower, int width, float* out);

}  // namespace kettle::kernels
