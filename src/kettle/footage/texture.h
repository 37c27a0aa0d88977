// SPDX-License-Identifier: Apache-2.0
// Noise and patterns that scenes are painted with.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

namespace kettle {

// A square, seamlessly repeating grey texture whose amplitude spectrum falls as 1/f, as natural
// pictures' do (Field 1987): value noise with the same amplitude in every octave. With its halved
// copies for looking at it from afar.
class Texture {
 public:
  explicit Texture(std::uint64_t seed);

  static constexpr int kSide = 512;

  // The value at (u, v) in texels, 0 to 255, interpolated; `level` 0 is the full texture, each
  // further one halves it, up to kLevels - 1. Coordinates repeat.
  float Sample(float u, float v, int level = 0) const {
    const int side = kSide >> level;
    const float scale = 1.0f / static_cast<float>(1 << level);
    u *= scale;
    v *= scale;
    const int ui = static_cast<int>(u) - (u < 0), vi = static_cast<int>(v) - (v < 0);
    const float fu = u - static_cast<float>(ui), fv = v - static_cast<float>(vi);
    const std::uint8_t* texels = levels_[static_cast<std::size_t>(level)].data();
    const int mask = side - 1, u0 = ui & mask, u1 = (ui + 1) & mask;
    const std::uint8_t* upper = texels + (vi & mask) * side;
    const std::uint8_t* lower = texels + ((vi + 1) & mask) * side;
    const float top = static_cast<float>(upper[u0]) + fu * static_cast<float>(upper[u1] - upper[u0]);
    const float bottom = static_cast<float>(lower[u0]) + fu * static_cast<float>(lower[u1] - lower[u0]);
    return top + fv * (bottom - top);
  }

  static constexpr int kLevels = 6;

  // What Sample gives along one line of constant v, for a whole row of pixels: quicker, as the lines above and below
  // are mixed only once.
  class Row {
   public:
    Row(const Texture& texture, float v, int level = 0);
    float operator()(float u) const {
      u *= scale_;
      const int whole = static_cast<int>(u) - (u < 0);
      const float* texel = &texels_[static_cast<std::size_t>(whole & mask_)];
      return texel[0] + (u - static_cast<float>(whole)) * (texel[1] - texel[0]);
    }

   private:
    float scale_;
    int mask_;
    std::array<float, kSide + 1> texels_;  // the first again after the last
  };

 private:
  std::vector<std::vector<std::uint8_t>> levels_;
};

}  // namespace kettle
