// SPDX-License-Identifier: Apache-2.0
// The sound of a show: AAC tracks of a made-up signal, encoded in real time beside the pictures.
#pragma once

#include <functional>
#include <vector>

#include "kettle/media/libav.h"

namespace kettle {

struct SoundSettings {
  int sample_rate = 48'000;
  int kbps = 160;  // of each track
  int tracks = 1;
};

class Sound {
 public:
  // Opens an AAC-LC encoder of libavcodec's own for each track, stereo. Throws Error(kMachine).
  explicit Sound(const SoundSettings& settings);

  std::vector<const AVCodecContext*> contexts() const;
  // When the block with that number is complete, in seconds after the start: then it can be encoded.
  double SecondsOf(std::int64_t block) const;
  // Encodes the next block of every track.
  void EncodeBlock(const std::function<void(int track, const AVPacket&)>& take);
  // What the encoders still hold, after the last block.
  void End(const std::function<void(int track, const AVPacket&)>& take);

 private:
  void Encode(std::size_t track, const AVFrame* frame, const std::function<void(int track, const AVPacket&)>& take);
  SoundSettings settings_;
  std::vector<CodecContextPtr> encoders_;
  int block_samples_ = 1024;
  std::int64_t blocks_ = 0;
};

}  // namespace kettle
