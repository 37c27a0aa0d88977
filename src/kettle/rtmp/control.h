// SPDX-License-Identifier: Apache-2.0
// What either side of an RTMP connection owes the other besides its own messages (Adobe's Real-Time Messaging Protocol
// 1.0, sections 5.4 and 7.1.7): acknowledgements of what came in, and answers to pings.
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>

#include "kettle/rtmp/chunks.h"

namespace kettle {

// Of each of the two blobs that either side sends first, after a byte of version (section 5.2).
inline constexpr std::size_t kHandshakeBytes = 1536;

class RtmpControl {
 public:
  void Received(std::size_t bytes) { received_ += bytes; }

  // The message that is owed for one that came in: the answer to a ping, the window that a peer bandwidth asks for.
  // Remembers the acknowledgement window that the other side sets. Nothing for all other messages.
  std::optional<RtmpMessage> Answer(const RtmpMessage& message);

  // The acknowledgement that is due by now. One comes twice a window, so that the other side never waits for it.
  std::optional<RtmpMessage> Acknowledgement();

 private:
  std::uint64_t received_ = 0, acknowledged_ = 0;  // bytes; on the line they count modulo 2^32
  std::uint64_t window_bytes_ = 2'500'000;         // until the other side names one
  std::uint32_t answered_window_ = 0;              // that was told for a peer bandwidth; 0: none yet
};

}  // namespace kettle
