// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/code_once.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "kettle/encoders/catalogue.h"
#include "kettle/media/encoder.h"
#include "kettle/media/scaler.h"
#include "kettle/realtime/lane.h"
#include "kettle/realtime/pacing.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

// Source frames until the footage and the keyframes both begin anew, and the first keyframe's once more, for a stream's
// first pictures carry what no later ones do; no more than the run has.
std::int64_t FramesToCode(const EndlessSource& source, const EncodeSettings& settings, const CodeOnceTask& task) {
  const auto run = static_cast<std::int64_t>(std::lround(task.seconds * task.source_rate.fps()));
  const auto keyframe = std::max<std::int64_t>(1, std::lround(settings.keyframe_seconds * task.source_rate.fps()));
  return std::min(run, std::lcm(source.frames(), keyframe) + keyframe);
}

void Code(const EncodeSettings& settings, const CodeOnceTask& task, const std::function<void(double)>& progress) {
  const EndlessSource source(task.footage);
  const EncoderConfig config = ConfigFor(settings);
  Encoder encoder(config);
  Scaler scaler(config.size, config.pixel_format, settings.scaler);
  const FrameSelector selector(task.source_rate, settings.frame_rate);
  const std::int64_t frames = FramesToCode(source, settings, task);
  for (std::int64_t index = 0; index < frames; ++index) {
    const auto number = selector.FrameNumber(index);
    if (!number) continue;
    const FramePtr picture = scaler.Scale(*source.Frame(index));
    picture->pts = *number;
    encoder.Send(picture.get());
    while (encoder.Receive()) {
    }
    progress(static_cast<double>(index) / static_cast<double>(frames));
  }
  encoder.Send(nullptr);  // with B-frames it holds the last ones back
  while (encoder.Receive()) {
  }
}

}  // namespace

void RunCodeOnceTask(const CodeOnceTask& task, const std::function<void(double)>& progress) {
  for (const EncodeSettings& settings : task.encodes) Code(settings, task, progress);
}

KETTLE_JSON(CodeOnceTask, encodes, footage, source_rate, seconds)

}  // namespace kettle
