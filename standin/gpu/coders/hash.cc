// SPDX-License-Identifier: Apache-2.0
#include "hash.h"

#include <cstring>

namespace standin {

namespace {

// Multiplied by an odd constant and folded, as the multiplicative hashes of the trade do.
std::uint64_t Mix(std::uint64_t hash, std::uint64_t word) {
  constexpr std::uint64_t kOdd = 0x9e3779b97f4a7c15;  // 2^64 over the golden ratio
  __extension__ using Wide = unsigned __int128;
  const Wide product = static_cast<Wide>(hash ^ word) * kOdd;
  return static_cast<std::uint64_t>(product) ^ static_cast<std::uint64_t>(product >> 64);
}

}  // namespace

std::uint64_t HashBytes(std::uint64_t hash, const std::uint8_t* data, std::size_t bytes) {
  std::uint64_t lanes[4] = {hash, hash + 1, hash + 2, hash + 3};
  std::size_t at = 0;
  for (; at + sizeof lanes <= bytes; at += sizeof lanes)
    for (std::size_t lane = 0; lane < 4; ++lane) {
      std::uint64_t word;
      std::memcpy(&word, data + at + lane * sizeof word, sizeof word);
      lanes[lane] = Mix(lanes[lane], word);
    }
  for (; at < bytes; ++at) lanes[0] = Mix(lanes[0], data[at]);
  for (std::size_t lane = 1; lane < 4; ++lane) lanes[0] = Mix(lanes[0], lanes[lane]);
  return lanes[0];
}

}  // namespace standin
