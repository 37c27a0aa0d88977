// SPDX-License-Identifier: Apache-2.0
#pragma once

#include "kettle/media/libav.h"

namespace kettle {

// Scales 8-bit 4:2:0 pictures with libswscale's bicubic filter. Not thread-safe: one a thread.
class Scaler {
 public:
  Scaler(FrameSize from, FrameSize to);  // throws Error(kMachine)
  // A new picture, or another reference to `picture` if the sizes are the same.
  FramePtr Scale(const AVFrame& picture);

 private:
  FrameSize from_, to_;
  SwsContextPtr context_;
};

// Copies `picture`, of any size and pixel format, into a new 8-bit 4:2:0 limited-range picture of
// size `to`: the whole picture keeps its shape, black bars fill the rest. Throws Error(kMachine).
FramePtr FitPicture(const AVFrame& picture, FrameSize to);

}  // namespace kettle
