// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/digest.h"

#include <fmt/format.h>

#include <cstdint>

namespace kettle {

std::string HexDigest(std::string_view text) {
  std::uint64_t hash = 14695981039346656037ull;
  for (const char c : text) hash = (hash ^ static_cast<unsigned char>(c)) * 1099511628211ull;
  return fmt::format("{:016x}", hash);
}

}  // namespace kettle
