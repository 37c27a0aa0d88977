// SPDX-License-Identifier: Apache-2.0
// Draws into an 8-bit 4:2:0 picture: what the scenes are made of.
#pragma once

#include <string_view>
#include <vector>

#include "kettle/media/libav.h"

namespace kettle {

// A colour as limited-range BT.709 Y'CbCr.
struct Colour {
  float y, cb, cr;
};

struct Point {
  float x, y;
};

class Canvas {
 public:
  explicit Canvas(AVFrame& picture) : picture_(picture) {}
  int width() const { return picture_.width; }
  int height() const { return picture_.height; }
  std::uint8_t* luma_row(int y) const {
    return picture_.data[0] + static_cast<std::ptrdiff_t>(y) * picture_.linesize[0];
  }
  std::uint8_t* chroma_row(int plane, int y) const {  // plane 1 is Cb, 2 is Cr; y in chroma rows
    return picture_.data[plane] + static_cast<std::ptrdiff_t>(y) * picture_.linesize[plane];
  }

  // A convex polygon with softened edges; `opacity` 0 to 1.
  void Fill(const std::vector<Point>& polygon, Colour colour, float opacity = 1);
  // An upright rectangle, its edges rounded to whole pixels.
  void Box(Point top_left, Point bottom_right, Colour colour);
  // A soft disc.
  void Dot(Point centre, float radius, Colour colour, float opacity);
  // Text in a 5 by 7 dot font of capitals and digits; `cell` is a dot's side in pixels.
  void Text(Point top_left, float cell, std::string_view text, Colour colour);
  static float TextWidth(float cell, std::string_view text);

 private:
  template <typename Coverage>
  void Blend(float left, float top, float right, float bottom, Colour colour, const Coverage& coverage);

  AVFrame& picture_;
};

}  // namespace kettle
