// SPDX-License-Identifier: Apache-2.0
// A picture that the recording may have, with an encode of its own.
#pragma once

#include <cmath>

#include "kettle/encoders/settings.h"

namespace kettle {

struct RecordingWay {
  FrameSize size;
  FrameRate rate;
};

inline double PixelRate(const RecordingWay& way) { return static_cast<double>(way.size.pixels()) * way.rate.fps(); }

// The recording at that picture, with as many bits a pixel.
inline EncodeSettings AtPicture(EncodeSettings recording, const RecordingWay& way) {
  const double share = PixelRate(way) / PixelRate({recording.size, recording.frame_rate});
  recording.size = way.size;
  recording.frame_rate = way.rate;
  recording.bit_rate = BitRate::FromKbps(std::round(recording.bit_rate.kbps() * share));
  recording.maximum_bit_rate = BitRate::FromKbps(std::round(recording.maximum_bit_rate.kbps() * share));
  return recording;
}

}  // namespace kettle
