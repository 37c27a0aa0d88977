// SPDX-License-Identifier: Apache-2.0
// SSIMULACRA 2: how much viewers see of what an encode did to a picture, from 100 (nothing) downwards.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "kettle/media/picture_view.h"
#include "kettle/quality/colour_error.h"

namespace kettle {

// Linear light, red, green and blue of BT.709's primaries: 0 is black, 1 is white. Rows without padding; planes may be
// longer than that.
struct LinearPicture {
  int width = 0, height = 0;
  std::array<std::vector<float>, 3> planes;
};

// Of 8-bit R'G'B', three bytes a sample; light by the transfer function of sRGB (IEC 61966-2-1).
LinearPicture LinearFromRgb(const std::uint8_t* rgb, int width, int height);

// Of an 8-bit 4:2:0 picture coded as told; chroma samples lie beside the even luma samples of a row and between two
// rows (MPEG-2), those between them are interpolated. Games are made for sRGB displays: the same transfer function.
LinearPicture LinearFromYcbcr(const PictureView& picture, ColourCoding coding);

// Sneyers, "SSIMULACRA 2", version 2.1, 2022; its constants are those of the public reference in libjxl 0.11. 100: no
// difference; 90: none that is seen; 70 high, 50 medium, 30 low quality; ruined pictures lie below zero. Both pictures
// have the same size, 8x8 at least; six scales take part where both sides are 256 at least. Not symmetric. Thread-safe.
double Ssimulacra2(const LinearPicture& reference, const LinearPicture& distorted);
// The same of coded pictures (LinearFromYcbcr), without their light in full ever being in memory: that takes two thirds
// of the time.
double Ssimulacra2(const PictureView& reference, ColourCoding reference_coding, const PictureView& distorted,
                   ColourCoding distorted_coding);

}  // namespace kettle
