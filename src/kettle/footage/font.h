// SPDX-License-Identifier: Apache-2.0
// A pixel font for the letters that scenes draw.
#pragma once

#include <array>
#include <cstdint>

namespace kettle {

// The rows of a character in a 5 by 7 dot font, top first, bit 4 leftmost. Capitals, digits and
// " .:-/%"; anything else is blank.
std::array<std::uint8_t, 7> Glyph(char character);

}  // namespace kettle
