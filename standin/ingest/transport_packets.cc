// SPDX-License-Identifier: Apache-2.0
#include "transport_packets.h"

#include <cstddef>

namespace standin {

namespace {

constexpr std::size_t kPacketBytes = 188;

}  // namespace

int PicturesIn(std::string_view packets) {
  int pictures = 0;
  for (; packets.size() >= kPacketBytes; packets.remove_prefix(kPacketBytes)) {
    const auto at = [&](std::size_t i) { return static_cast<unsigned char>(packets[i]); };
    if (at(0) != 0x47 || (at(1) & 0x40) == 0) continue;
    const std::size_t payload = 4 + ((at(3) & 0x20) != 0 ? 1u + at(4) : 0u);
    if (payload + 4 <= kPacketBytes && at(payload) == 0 && at(payload + 1) == 0 && at(payload + 2) == 1)
      pictures += (at(payload + 3) & 0xF0) == 0xE0;
  }
  return pictures;
}

}  // namespace standin
