// SPDX-License-Identifier: Apache-2.0
// How wrong colours are where one stage takes a picture for something else than it is.
#pragma once

#include "kettle/media/picture_view.h"

namespace kettle {

// How Y'CbCr stands for R'G'B': the luma weights of ITU-R BT.601-7, BT.709-6 or BT.2020-2, and whether 8-bit samples
// use 16 to 235 and 16 to 240 (limited) or 0 to 255 (full).
struct ColourCoding {
  enum class Matrix { kBt601, kBt709, kBt2020 };
  Matrix matrix = Matrix::kBt709;
  bool full_range = false;
  bool operator==(const ColourCoding&) const = default;
};

// What a picture is marked as; what is not marked, as players take it: BT.601 below 720 lines, else BT.709, limited.
ColourCoding CodingOf(const AVFrame& picture);

// Of 8-bit R'G'B' grey levels, all three channels of every second sample each way.
struct ColourError {
  double mean = 0, most = 0;
};

// An 8-bit 4:2:0 picture coded as `is`, shown as if it were coded as `taken_for`. Formulas: BT.709-6, section 3, and
// its like in the others; what lies outside 0 to 255 is clipped, as displays do.
ColourError ErrorIfTakenFor(const PictureView& picture, ColourCoding is, ColourCoding taken_for);

}  // namespace kettle
