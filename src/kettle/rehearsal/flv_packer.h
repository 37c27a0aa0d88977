// SPDX-License-Identifier: Apache-2.0
// Coded tracks as RTMP messages.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "kettle/media/libav.h"
#include "kettle/rtmp/chunks.h"
#include "kettle/rtmp/flv_body.h"

namespace kettle {

class FlvPacker {
 public:
  // One track of pictures, then any number of sound, of which FLV takes the first. Throws Error(kMachine), also for a
  // codec that RTMP does not carry.
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
    double shown_seconds = 0;        // when it is seen or heard, by the encoders' clock
  };
  // The messages that one packet becomes: one, as a rule. Times begin with what is decoded first: sound is held back
  // until the first picture tells how long before its own time it is decoded.
  std::vector<Packed> Pack(int track, const AVPacket& packet);

 private:
  struct Track {
    AVRational time_base;
    double lead_seconds;  // of sound: how far before zero it begins
  };
  Packed PackPicture(const AVPacket& packet) const;
  Packed PackSound(const AVPacket& packet) const;
  int Milliseconds(const Track& track, std::int64_t time) const;

  AVCodecID codec_id_;
  FlvCodec codec_;
  Track pictures_{}, sound_{};
  std::vector<RtmpMessage> opening_;
  std::vector<PacketPtr> held_;          // of sound
  std::optional<double> shift_seconds_;  // of all times, so that none is negative; not set: no picture yet
};

}  // namespace kettle
