// SPDX-License-Identifier: Apache-2.0
// Scales and converts pictures, by libswscale.
#pragma once

#include "kettle/media/libav.h"

namespace kettle {

enum class ScaleFilter { kBilinear, kBicubic, kLanczos };
const char* Name(ScaleFilter filter);                   // "bilinear", "bicubic", "lanczos"
ScaleFilter ParseScaleFilter(const std::string& text);  // throws Error(kInput)

// Makes libswscale scale as fast as it can, for the whole process. Before any context of it is made.
void AvoidGathers();

// Scales and converts pictures with libswscale; colours keep their meaning. Not thread-safe: one a thread.
class Scaler {
 public:
  explicit Scaler(FrameSize to, AVPixelFormat format = AV_PIX_FMT_YUV420P, ScaleFilter filter = ScaleFilter::kBicubic)
      : to_(to), format_(format), filter_(filter) {}
  // A new picture, or another reference to `picture` if size and format are the same. Throws Error(kMachine).
  FramePtr Scale(const AVFrame& picture);

 private:
  FrameSize to_;
  AVPixelFormat format_;
  ScaleFilter filter_;
  SwsContextPtr context_;  // for pictures like the last one
};

// Copies `picture`, of any size and pixel format, into a new 8-bit 4:2:0 limited-range picture of
// size `to`: the whole picture keeps its shape, black bars fill the rest. Of an interlaced picture only the first field
// is taken: no combs, half the lines. Throws Error(kMachine).
FramePtr FitPicture(const AVFrame& picture, FrameSize to);

}  // namespace kettle
