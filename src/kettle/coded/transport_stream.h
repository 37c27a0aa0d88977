// SPDX-License-Identifier: Apache-2.0
// Packs coded pictures into an MPEG transport stream (ISO/IEC 13818-1), in memory, by libavformat.
#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "kettle/coded/muxer.h"
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

// The same while the tracks are being encoded: pictures first, then sound.
class LiveTransportStream {
 public:
  // The contexts are only read here. Throws Error(kInput) for pictures that a transport stream does not carry.
  explicit LiveTransportStream(const std::vector<const AVCodecContext*>& tracks);
  // The packets that carry one of the encoder's; its timestamps are in the encoder's time base.
  std::string Pack(int track, const AVPacket& packet);

 private:
  std::string taken_;  // what the muxer wrote
  Muxer muxer_;
};

}  // namespace kettle
