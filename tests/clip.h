// SPDX-License-Identifier: Apache-2.0
// Clips as a user brings them: encoded, in a container.
#pragma once

#include <functional>
#include <string>

#include "kettle/encoders/catalogue.h"
#include "kettle/media/encoder.h"
#include "kettle/media/scaler.h"
#include "kettle/media/writer.h"
#include "support.h"

namespace kettle::test {

struct ClipRequest {
  EncodeSettings settings = SmallSettings();
  int pictures = 50;
  std::function<int(int)> motion = [](int i) { return i; };  // how far the footage has moved in picture i
  std::function<int(int)> place = [](int i) { return i; };   // when it is shown, in frame intervals
};

inline std::string MakeClip(const std::filesystem::path& file, const ClipRequest& request) {
  const EncodeSettings& settings = request.settings;
  const std::filesystem::path raw = file.string() + ".y4m";
  int last = 0;
  for (int i = 0; i < request.pictures; ++i) last = std::max(last, request.motion(i));
  MakeY4m(raw, settings.size, settings.frame_rate, last + 1);
  const Y4mFile source(raw);
  const EncoderConfig config = ConfigFor(settings);
  Scaler converter(settings.size, config.pixel_format);
  Encoder encoder(config);
  MediaWriter writer(file, encoder.context());
  for (int i = 0; i <= request.pictures; ++i) {
    FramePtr picture = i < request.pictures ? converter.Scale(*source.Frame(request.motion(i))) : nullptr;
    if (picture) picture->pts = request.place(i);
    encoder.Send(picture.get());
    while (PacketPtr packet = encoder.Receive()) writer.Write(*packet);
  }
  writer.Finish();
  return file.string();
}

}  // namespace kettle::test
