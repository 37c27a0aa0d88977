// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/canvas.h"

#include <algorithm>
#include <cmath>

#include "kettle/footage/font.h"

namespace kettle {

namespace {

void Mix(std::uint8_t& sample, float value, float share) {
  const float mixed = static_cast<float>(sample) + (value - static_cast<float>(sample)) * share;
  sample = static_cast<std::uint8_t>(mixed + 0.5f);  // never negative: rounds to nearest
}

}  // namespace

// Lays `colour` over the box's pixels by the share that `coverage(x, y)` gives at their centres.
template <typename Coverage>
void Canvas::Blend(float left, float top, float right, float bottom, Colour colour, const Coverage& coverage) {
  const auto clip = [](float value, int end) { return std::clamp(static_cast<int>(std::floor(value)), 0, end); };
  const int x0 = clip(left, width()), x1 = clip(right + 1, width());
  const int y0 = clip(top, height()), y1 = clip(bottom + 1, height());
  for (int y = y0; y < y1; ++y) {
    std::uint8_t* luma = luma_row(y);
    std::uint8_t* cb = chroma_row(1, y / 2);
    std::uint8_t* cr = chroma_row(2, y / 2);
    for (int x = x0; x < x1; ++x) {
      const float share = coverage(static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f);
      if (share <= 0) continue;
      Mix(luma[x], colour.y, share);
      if (x % 2 == 0 && y % 2 == 0) {
        Mix(cb[x / 2], colour.cb, share);
        Mix(cr[x / 2], colour.cr, share);
      }
    }
  }
}

void Canvas::Fill(const std::vector<Point>& polygon, Colour colour, float opacity) {
  float left = 1e9f, top = 1e9f, right = -1e9f, bottom = -1e9f, area = 0;
  struct Edge {
    float nx, ny, offset;  // distance to the inside: nx * x + ny * y + offset
  };
  std::vector<Edge> edges;
  for (std::size_t i = 0; i < polygon.size(); ++i) {
    const Point a = polygon[i], b = polygon[(i + 1) % polygon.size()];
    left = std::min(left, a.x), right = std::max(right, a.x);
    top = std::min(top, a.y), bottom = std::max(bottom, a.y);
    area += a.x * b.y - b.x * a.y;
  }
  const float turn = area >= 0 ? 1.0f : -1.0f;
  for (std::size_t i = 0; i < polygon.size(); ++i) {
    const Point a = polygon[i], b = polygon[(i + 1) % polygon.size()];
    const float length = std::max(1e-3f, std::hypot(b.x - a.x, b.y - a.y));
    const float nx = -turn * (b.y - a.y) / length, ny = turn * (b.x - a.x) / length;
    edges.push_back({nx, ny, -(nx * a.x + ny * a.y)});
  }
  Blend(left, top, right, bottom, colour, [&](float x, float y) {
    float inside = 1;
    for (const Edge& edge : edges) inside = std::min(inside, edge.nx * x + edge.ny * y + edge.offset + 0.5f);
    return opacity * std::clamp(inside, 0.0f, 1.0f);
  });
}

void Canvas::Box(Point top_left, Point bottom_right, Colour colour) {
  const auto pixel = [](float value, int limit) { return std::clamp(static_cast<int>(std::lround(value)), 0, limit); };
  const int left = pixel(top_left.x, width()), right = pixel(bottom_right.x, width());
  const int top = pixel(top_left.y, height()), bottom = pixel(bottom_right.y, height());
  const auto fill = [](std::uint8_t* row, int from, int to, float value) {
    if (to > from) std::fill(row + from, row + to, static_cast<std::uint8_t>(std::lround(value)));
  };
  for (int y = top; y < bottom; ++y) fill(luma_row(y), left, right, colour.y);
  for (int y = (top + 1) / 2; y < (bottom + 1) / 2; ++y) {
    fill(chroma_row(1, y), (left + 1) / 2, (right + 1) / 2, colour.cb);
    fill(chroma_row(2, y), (left + 1) / 2, (right + 1) / 2, colour.cr);
  }
}

void Canvas::Dot(Point centre, float radius, Colour colour, float opacity) {
  Blend(centre.x - radius, centre.y - radius, centre.x + radius, centre.y + radius, colour, [&](float x, float y) {
    const float distance = std::hypot(x - centre.x, y - centre.y);
    return opacity * std::clamp(radius - distance + 0.5f, 0.0f, 1.0f);
  });
}

void Canvas::Text(Point top_left, float cell, std::string_view text, Colour colour) {
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto rows = Glyph(text[i]);
    for (int row = 0; row < 7; ++row)
      for (int column = 0; column < 5; ++column) {
        if (!(rows[static_cast<std::size_t>(row)] >> (4 - column) & 1)) continue;
        const float x = top_left.x + (static_cast<float>(i) * 6 + static_cast<float>(column)) * cell;
        const float y = top_left.y + static_cast<float>(row) * cell;
        Blend(x, y, x + cell, y + cell, colour, [&](float px, float py) {
          const float across = std::min(px + 0.5f, x + cell) - std::max(px - 0.5f, x);
          const float down = std::min(py + 0.5f, y + cell) - std::max(py - 0.5f, y);
          return std::clamp(across, 0.0f, 1.0f) * std::clamp(down, 0.0f, 1.0f);
        });
      }
  }
}

float Canvas::TextWidth(float cell, std::string_view text) { return static_cast<float>(text.size()) * 6 * cell; }

}  // namespace kettle
