// SPDX-License-Identifier: Apache-2.0
#include "planar_input.h"

namespace standin {

PlanarInput::PlanarInput(const Settings& s)
    : width_(s.width), height_(s.height), pitch_(s.pitch), semi_planar_(s.semi_planar != 0), ten_bit_(s.ten_bit != 0) {
  const std::size_t samples = static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_);
  if (ten_bit_)
    words_.resize(samples * 3 / 2);
  else if (semi_planar_)
    chroma_.resize(samples / 2);
}

Planes PlanarInput::Of(const std::uint8_t* picture) {
  auto* base = const_cast<std::uint8_t*>(picture);
  if (ten_bit_) return FromP010(base);
  if (semi_planar_) return FromNv12(base);
  std::uint8_t* cr = base + static_cast<std::ptrdiff_t>(pitch_) * height_;  // YV12: Cr comes first
  return {base, cr + static_cast<std::ptrdiff_t>(pitch_ / 2) * (height_ / 2), cr, pitch_, pitch_ / 2};
}

// The chroma samples in turn.
Planes PlanarInput::FromNv12(std::uint8_t* base) {
  const int half = width_ / 2;
  std::uint8_t *cb = chroma_.data(), *cr = cb + static_cast<std::ptrdiff_t>(half) * (height_ / 2);
  for (int y = 0; y < height_ / 2; ++y) {
    const std::uint8_t* row = base + static_cast<std::ptrdiff_t>(pitch_) * (height_ + y);
    for (int x = 0; x < half; ++x) {
      cb[y * half + x] = row[2 * x];
      cr[y * half + x] = row[2 * x + 1];
    }
  }
  return {base, cb, cr, pitch_, half};
}

// P010 has its 10 bits on top and the chroma samples in turn.
Planes PlanarInput::FromP010(const std::uint8_t* base) {
  const int half = width_ / 2;
  std::uint16_t* luma = words_.data();
  std::uint16_t* cb = luma + static_cast<std::ptrdiff_t>(width_) * height_;
  std::uint16_t* cr = cb + static_cast<std::ptrdiff_t>(half) * (height_ / 2);
  const auto row = [&](int y) {
    return reinterpret_cast<const std::uint16_t*>(base + static_cast<std::ptrdiff_t>(pitch_) * y);
  };
  for (int y = 0; y < height_; ++y)
    for (int x = 0; x < width_; ++x) luma[y * width_ + x] = static_cast<std::uint16_t>(row(y)[x] >> 6);
  for (int y = 0; y < height_ / 2; ++y)
    for (int x = 0; x < half; ++x) {
      cb[y * half + x] = static_cast<std::uint16_t>(row(height_ + y)[2 * x] >> 6);
      cr[y * half + x] = static_cast<std::uint16_t>(row(height_ + y)[2 * x + 1] >> 6);
    }
  const auto bytes = [](std::uint16_t* words) { return reinterpret_cast<std::uint8_t*>(words); };
  return {bytes(luma), bytes(cb), bytes(cr), std::ptrdiff_t{width_} * 2, std::ptrdiff_t{half} * 2};
}

}  // namespace standin
