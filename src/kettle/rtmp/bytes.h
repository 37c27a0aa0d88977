// SPDX-License-Identifier: Apache-2.0
// Big-endian numbers in strings of bytes.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>

namespace kettle {

inline void PutBig(std::string& out, std::uint64_t number, int bytes) {
  for (int i = bytes - 1; i >= 0; --i) out += static_cast<char>(number >> (8 * i));
}

// `bytes.size()` must be at least `at` + `count`.
inline std::uint64_t GetBig(std::string_view bytes, std::size_t at, std::size_t count) {
  std::uint64_t number = 0;
  for (std::size_t i = 0; i < count; ++i) number = number << 8 | static_cast<std::uint8_t>(bytes[at + i]);
  return number;
}

}  // namespace kettle
