// SPDX-License-Identifier: Apache-2.0
// Digests that name what was measured on what.
#pragma once

#include <string>
#include <string_view>

namespace kettle {

// The first 64 bits of the SHA-256 of `text` (FIPS 180-4), as 16 hexadecimal digits.
std::string HexDigest(std::string_view text);

}  // namespace kettle
