// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/texture.h"

#include <algorithm>
#include <cmath>

#include "kettle/footage/random.h"

namespace kettle {

namespace {

// Adds one octave of value noise: random values on a coarse, repeating grid, smoothly interpolated.
void AddOctave(std::vector<float>& texels, int side, int cells, std::uint64_t seed) {
  std::vector<float> grid(static_cast<std::size_t>(cells * cells));
  for (std::size_t i = 0; i < grid.size(); ++i) grid[i] = Uniform(seed, i) - 0.5f;
  const float step = static_cast<float>(cells) / static_cast<float>(side);
  const auto smooth = [](float t) { return t * t * (3 - 2 * t); };
  for (int y = 0; y < side; ++y) {
    const float gy = static_cast<float>(y) * step;
    const int y0 = static_cast<int>(gy);
    const float fy = smooth(gy - static_cast<float>(y0));
    const float* upper = &grid[static_cast<std::size_t>(y0 % cells * cells)];
    const float* lower = &grid[static_cast<std::size_t>((y0 + 1) % cells * cells)];
    for (int x = 0; x < side; ++x) {
      const float gx = static_cast<float>(x) * step;
      const int x0 = static_cast<int>(gx), x1 = (x0 + 1) % cells;
      const float fx = smooth(gx - static_cast<float>(x0));
      const float top = upper[x0] + fx * (upper[x1] - upper[x0]);
      const float bottom = lower[x0] + fx * (lower[x1] - lower[x0]);
      texels[static_cast<std::size_t>(y * side + x)] += top + fy * (bottom - top);
    }
  }
}

std::vector<std::uint8_t> Halve(const std::vector<std::uint8_t>& texels, int side) {
  const int half = side / 2;
  std::vector<std::uint8_t> result(static_cast<std::size_t>(half * half));
  for (int y = 0; y < half; ++y)
    for (int x = 0; x < half; ++x) {
      const std::uint8_t* p = &texels[static_cast<std::size_t>(2 * y * side + 2 * x)];
      result[static_cast<std::size_t>(y * half + x)] =
          static_cast<std::uint8_t>((p[0] + p[1] + p[side] + p[side + 1] + 2) / 4);
    }
  return result;
}

}  // namespace

Texture::Row::Row(const Texture& texture, float v, int level)
    : scale_(1.0f / static_cast<float>(1 << level)), mask_((kSide >> level) - 1) {
  v *= scale_;
  const int whole = static_cast<int>(v) - (v < 0), side = kSide >> level;
  const float share = v - static_cast<float>(whole);
  const std::uint8_t* texels = texture.levels_[static_cast<std::size_t>(level)].data();
  const std::uint8_t* upper = texels + (whole & mask_) * side;
  const std::uint8_t* lower = texels + ((whole + 1) & mask_) * side;
  for (int i = 0; i < side; ++i)
    texels_[static_cast<std::size_t>(i)] =
        static_cast<float>(upper[i]) + share * static_cast<float>(lower[i] - upper[i]);
  texels_[static_cast<std::size_t>(side)] = texels_[0];
}

Texture::Texture(std::uint64_t seed) {
  std::vector<float> sum(kSide * kSide, 0.0f);
  for (int cells = 4; cells <= kSide / 4; cells *= 2)
    AddOctave(sum, kSide, cells, seed + static_cast<std::uint64_t>(cells));
  const auto [low, high] = std::minmax_element(sum.begin(), sum.end());
  const float base = *low, range = *high - *low;
  std::vector<std::uint8_t> texels(sum.size());
  std::transform(sum.begin(), sum.end(), texels.begin(),
                 [&](float value) { return static_cast<std::uint8_t>(std::lround(255.0f * (value - base) / range)); });
  levels_.push_back(std::move(texels));
  for (int level = 1; level < kLevels; ++level) levels_.push_back(Halve(levels_.back(), kSide >> (level - 1)));
}

}  // namespace kettle
