// SPDX-License-Identifier: Apache-2.0
// Pictures as the metrics see them: somebody else's samples.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

#include "kettle/media/libav.h"

namespace kettle {

// 8-bit samples, `stride` bytes from row to row; not owned.
struct PlaneView {
  const std::uint8_t* data;
  std::ptrdiff_t stride;
  int width, height;

  const std::uint8_t* row(int y) const { return data + y * stride; }
};

// Luma and both chroma planes, 4:2:0.
using PictureView = std::array<PlaneView, 3>;

// Of an 8-bit 4:2:0 picture, which must outlive the view.
inline PlaneView LumaOf(const AVFrame& picture) {
  return {picture.data[0], picture.linesize[0], picture.width, picture.height};
}
inline PictureView ViewOf(const AVFrame& picture) {
  const int width = (picture.width + 1) / 2, height = (picture.height + 1) / 2;
  return {LumaOf(picture), PlaneView{picture.data[1], picture.linesize[1], width, height},
          PlaneView{picture.data[2], picture.linesize[2], width, height}};
}

}  // namespace kettle
