// SPDX-License-Identifier: Apache-2.0
// Packs coded pictures into an MPEG transport stream (ISO/IEC 13818-1), in memory, by libavformat.
#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "kettle/coded/packets.h"

struct AVFormatContext;

namespace kettle {

class TransportStream {
 public:
  // For pictures of the codec, header and size of `coded`. Throws Error(kMachine).
  explicit TransportStream(const CodedPictures& coded);
  ~TransportStream();
  TransportStream(const TransportStream&) = delete;
  TransportStream& operator=(const TransportStream&) = delete;

  // The packets, of 188 bytes each, that carry one picture; `data` as in CodedPicture.
  std::string Pack(std::string_view data, double decode_seconds, double show_seconds, bool keyframe);

 private:
  void Open(const CodedPictures& coded);  // throws Error(kMachine)
  void Free();
  std::string taken_;  // what the muxer wrote
  AVFormatContext* format_ = nullptr;
};

}  // namespace kettle
