// SPDX-License-Identifier: Apache-2.0
#pragma once

#include "kettle/media/libav.h"

namespace kettle {

// Scales and converts pictures with libswscale's bicubic filter; colours keep their meaning. Not thread-safe: one
// a thread.
class Scaler {
 public:
  explicit Scaler(FrameSize to, AVPixelFormat format = AV_PIX_FMT_YUV420P) : to_(to), format_(format) {}
  // A new picture, or another reference to `picture` if size and format are the same. Throws Error(kMachine).
  FramePtr Scale(const AVFrame& picture);

 private:
  FrameSize to_;
  AVPixelFormat format_;
  SwsContextPtr context_;  // for pictures like the last one
};

// Copies `picture`, of any size and pixel format, into a new 8-bit 4:2:0 limited-range picture of
// size `to`: the whole picture keeps its shape, black bars fill the rest. Throws Error(kMachine).
FramePtr FitPicture(const AVFrame& picture, FrameSize to);

}  // namespace kettle
