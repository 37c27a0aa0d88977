// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/colour_error.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace kettle {

namespace {

struct LumaWeights {
  double red, blue;
};

LumaWeights WeightsOf(ColourCoding::Matrix matrix) {
  switch (matrix) {
    case ColourCoding::Matrix::kBt601: return {0.299, 0.114};
    case ColourCoding::Matrix::kBt2020: return {0.2627, 0.0593};
    case ColourCoding::Matrix::kBt709: break;
  }
  return {0.2126, 0.0722};
}

std::array<double, 3> ToRgb(int y, int cb, int cr, ColourCoding coding) {
  const auto [kr, kb] = WeightsOf(coding.matrix);
  const double luma = coding.full_range ? y / 255.0 : (y - 16) / 219.0, scale = coding.full_range ? 255.0 : 224.0;
  const double red = luma + 2 * (1 - kr) * (cr - 128) / scale, blue = luma + 2 * (1 - kb) * (cb - 128) / scale;
  const double green = (luma - kr * red - kb * blue) / (1 - kr - kb);
  std::array<double, 3> rgb{red, green, blue};
  for (double& channel : rgb) channel = 255 * std::clamp(channel, 0.0, 1.0);
  return rgb;
}

}  // namespace

ColourCoding CodingOf(const AVFrame& picture) {
  ColourCoding coding;
  coding.full_range = picture.color_range == AVCOL_RANGE_JPEG;
  const bool unmarked = picture.colorspace == AVCOL_SPC_UNSPECIFIED;
  if (picture.colorspace == AVCOL_SPC_BT470BG || picture.colorspace == AVCOL_SPC_SMPTE170M ||
      (unmarked && picture.height < 720))
    coding.matrix = ColourCoding::Matrix::kBt601;
  if (picture.colorspace == AVCOL_SPC_BT2020_NCL) coding.matrix = ColourCoding::Matrix::kBt2020;
  return coding;
}

ColourError ErrorIfTakenFor(const PictureView& picture, ColourCoding is, ColourCoding taken_for) {
  ColourError error;
  double sum = 0;
  std::int64_t samples = 0;
  for (int y = 0; y < picture[1].height; ++y)
    for (int x = 0; x < picture[1].width; ++x) {
      const int luma = picture[0].row(2 * y)[2 * x], cb = picture[1].row(y)[x], cr = picture[2].row(y)[x];
      const auto right = ToRgb(luma, cb, cr, is), wrong = ToRgb(luma, cb, cr, taken_for);
      for (std::size_t channel = 0; channel < 3; ++channel) {
        const double difference = std::abs(right[channel] - wrong[channel]);
        sum += difference;
        error.most = std::max(error.most, difference);
      }
      samples += 3;
    }
  if (samples > 0) error.mean = sum / static_cast<double>(samples);
  return error;
}

}  // namespace kettle
