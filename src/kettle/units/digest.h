// SPDX-License-Identifier: Apache-2.0
// Digests that name what was measured on what.
#pragma once

#include <string>
#include <string_view>

namespace kettle {

// A fingerprint of `text` as 16 hexadecimal digits: FNV-1a, 64 bit. Tells two texts apart by accident,
// not against malice.
std::string HexDigest(std::string_view text);

}  // namespace kettle
