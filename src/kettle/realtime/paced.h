// SPDX-License-Identifier: Apache-2.0
// A whole run in real time: one source, several encodes at once, counted frame by frame.
#pragma once

#include <cstddef>
#include <functional>
#include <vector>

#include "kettle/media/libav.h"
#include "kettle/realtime/pace_task.h"
#include "kettle/units/clock.h"

namespace kettle {

// What else becomes of a run's packets, called in the threads that make them.
struct PacketWitness {
  // An encoder of the task's outputs has opened; `sound` are the sound's, if the task has some.
  std::function<void(std::size_t output, const AVCodecContext& encoder,
                     const std::vector<const AVCodecContext*>& sound)>
      open;
  std::function<void(std::size_t output, const AVPacket& packet)> picture;
  std::function<void(const AVPacket& packet)> sound;
};

// Plays the footage in real time to all the task's encoders at once, each behind a queue of its own,
// and writes what they make. `progress` is called with 0..1 from the calling thread. Throws Error if an
// encoder does not open or fails in the middle.
PaceOutcome RunPaced(const PaceTask& task, Clock& clock, const std::function<void(double)>& progress,
                     const PacketWitness* witness = nullptr);

}  // namespace kettle
