// SPDX-License-Identifier: Apache-2.0
#include "kettle/line/decoder_buffer.h"

#include <algorithm>

namespace kettle {

BufferCheck CheckDecoderBuffer(const CodedStream& stream, BitRate rate, double buffer_seconds, bool constant,
                               double initial_fullness) {
  const auto bits_per_second = static_cast<double>(rate.bits_per_second);
  const double size = bits_per_second * buffer_seconds;
  double fullness = size * initial_fullness, last = 0;
  BufferCheck check;
  for (const CodedStream::Frame& frame : stream.frames) {
    fullness += (frame.seconds - last) * bits_per_second;
    last = frame.seconds;
    if (fullness > size) {
      check.overflows += constant;
      fullness = size;
    }
    fullness -= 8.0 * frame.size_bytes;
    check.underflows += fullness < -1;  // bits: sums are rounded
    check.lowest_fullness = std::min(check.lowest_fullness, fullness / size);
    fullness = std::max(fullness, 0.0);
  }
  return check;
}

}  // namespace kettle
