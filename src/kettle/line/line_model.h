// SPDX-License-Identifier: Apache-2.0
// A model of sending: the frames of a real encode through the send queue onto a line trace.
#pragma once

#include <vector>

#include "kettle/line/line.h"
#include "kettle/line/send_queue.h"

namespace kettle {

// A coded stream to be repeated as long as the line lasts: its frames in coding order.
struct CodedStream {
  struct Frame {
    double seconds = 0;  // after the first
    int size_bytes = 0;
    bool keyframe = false;
  };
  std::vector<Frame> frames;
  double seconds = 0;  // until it repeats
};

struct SendingModel {
  QueueRule rule;
  double scale = 1;                // of the frames' sizes: the same encode at another bit rate
  double audio_kbps = 160;         // beside the pictures, a packet each 1024 samples at 48 kHz
  int bytes_a_frame = 24;          // wrapping: FLV tag and RTMP chunk headers
  double line_share = 1;           // of the line's bits, for this stream
  double payload_share = 1;        // of the line's bits that are not TCP, IP and link headers
  double pipe_bytes = 0;           // that the transport has taken but the line has not: they cannot be dropped
  double burst_bytes = 0;          // that the line lets through at once after a rest, as a token bucket
  double extra_delay_seconds = 0;  // from the line's end to the ingest
};

struct SendingOutcome {
  int frames = 0, dropped = 0;    // pictures
  int stretches = 0;              // of frames dropped in a row
  double peak_delay_seconds = 0;  // from the encoder to the ingest, of pictures that were sent
  double longest_freeze_seconds = 0;
  std::vector<double> delay_by_second;  // the longest of each second; empty unless asked for
  double loss() const { return frames > 0 ? static_cast<double>(dropped) / frames : 0; }
};

// Event by event, no time steps; the line is not faster than the trace at any moment. The trace ends with its last
// second.
SendingOutcome SimulateSending(const CodedStream& stream, const LineTrace& line, const SendingModel& model,
                               bool delays = false);

}  // namespace kettle
