// SPDX-License-Identifier: Apache-2.0
// The decoder buffer model of ITU-T H.264 Annex C: does a stream keep to its declared rate and buffer?
#pragma once

#include "kettle/line/line_model.h"

namespace kettle {

struct BufferCheck {
  int underflows = 0;          // pictures that are not all there when their time has come
  int overflows = 0;           // at a constant rate: times at which the buffer could take no more
  double lowest_fullness = 1;  // share of the buffer, after a picture was taken out
  bool holds() const { return underflows == 0; }
};

// Bits come in at `rate` and each picture takes its own out at its time (C.1.2); the first one waits until the buffer
// is `initial_fullness` full. `constant`: bits always come (cbr_flag 1), otherwise they pause while the buffer is full.
// An overflow at a constant rate is what a filler would mend; only underflows break a stream.
BufferCheck CheckDecoderBuffer(const CodedStream& stream, BitRate rate, double buffer_seconds, bool constant,
                               double initial_fullness = 0.9);

}  // namespace kettle
