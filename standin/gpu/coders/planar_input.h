// SPDX-License-Identifier: Apache-2.0
// The pictures of clients as coders want them that take planes only.
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

#include "protocol.h"

namespace standin {

struct Planes {
  std::uint8_t *luma, *cb, *cr;             // of 10 bits: 16-bit words
  std::ptrdiff_t luma_bytes, chroma_bytes;  // from one row to the next
};

class PlanarInput {
 public:
  explicit PlanarInput(const Settings& settings);
  // Planes of a picture in the layout of the settings: YV12 where it lies; of NV12 and P010 a copy, valid until the
  // next call, of what has to be taken apart.
  Planes Of(const std::uint8_t* picture);

 private:
  Planes FromNv12(std::uint8_t* base);
  Planes FromP010(const std::uint8_t* base);

  const int width_, height_, pitch_;
  const bool semi_planar_, ten_bit_;
  std::vector<std::uint8_t> chroma_;
  std::vector<std::uint16_t> words_;
};

}  // namespace standin
