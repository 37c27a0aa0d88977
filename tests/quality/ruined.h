// SPDX-License-Identifier: Apache-2.0
// R'G'B' pictures, and ways to make them worse that give the same bytes on every machine.
#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <string>
#include <utility>
#include <vector>

namespace kettle::test {

// 8 bit, three bytes a sample, rows without padding.
struct RgbPicture {
  int width = 0, height = 0;
  std::vector<std::uint8_t> samples;

  std::uint8_t& at(int x, int y, int c) { return samples[static_cast<std::size_t>((y * width + x) * 3 + c)]; }
  std::uint8_t at(int x, int y, int c) const { return samples[static_cast<std::size_t>((y * width + x) * 3 + c)]; }
};

// Decodes a PNG. Fails the test if it is none.
RgbPicture ReadPng(const std::string& file);
// Binary PPM.
void WritePpm(const std::string& file, const RgbPicture& picture);

RgbPicture Crop(const RgbPicture& picture, int width, int height);

// By name, from hardly seen to ruined.
using Ruin = std::pair<std::string, std::function<RgbPicture(const RgbPicture&)>>;
const std::vector<Ruin>& Ruins();

}  // namespace kettle::test
