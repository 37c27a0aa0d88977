// SPDX-License-Identifier: Apache-2.0
// Coded tracks as RTMP messages: libavformat's FLV muxer packs them, and its tags are the messages' bodies.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "kettle/media/muxer.h"
#include "kettle/rtmp/chunks.h"

namespace kettle {

class FlvPacker {
 public:
  // One picture track and any number of sound tracks, of which FLV takes one. Throws Error(kMachine).
  explicit FlvPacker(const std::vector<const AVCodecContext*>& tracks);

  // What goes before the first picture, again after every new connection: metadata and the codecs' headers.
  const std::vector<RtmpMessage>& opening() const { return opening_; }
  struct Picture {
    std::int64_t number;  // as the encoder counts them
    bool keyframe;
  };
  struct Packed {
    RtmpMessage message;
    std::optional<Picture> picture;  // nothing: sound
  };
  // The messages that one packet becomes: one, as a rule. The muxer takes the first packet's time for the earliest of
  // all: until the track that begins earliest has one, the others' are held back.
  std::vector<Packed> Pack(int track, const AVPacket& packet);

 private:
  std::vector<RtmpMessage> TakeTags();
  std::vector<Packed> Write(int track, const AVPacket& packet);

  std::string bytes_;  // that the muxer wrote
  std::unique_ptr<Muxer> muxer_;
  std::vector<RtmpMessage> opening_;
  std::vector<std::pair<int, PacketPtr>> held_;
  bool begun_ = false;
};

}  // namespace kettle
