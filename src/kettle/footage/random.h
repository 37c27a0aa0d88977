// SPDX-License-Identifier: Apache-2.0
// Reproducible pseudo-random numbers without state: the same on every machine and thread.
#pragma once

#include <cstdint>

namespace kettle {

// SplitMix64's output function (Steele, Lea and Flood 2014).
constexpr std::uint64_t Hash(std::uint64_t x) {
  x += 0x9e3779b97f4a7c15ull;
  x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9ull;
  x = (x ^ (x >> 27)) * 0x94d049bb133111ebull;
  return x ^ (x >> 31);
}

// Uniform in [0, 1) for a seed and up to two counters.
constexpr float Uniform(std::uint64_t seed, std::uint64_t a, std::uint64_t b = 0) {
  return static_cast<float>(Hash(Hash(Hash(seed) ^ a) ^ b) >> 40) * 0x1p-24f;
}

}  // namespace kettle
