// SPDX-License-Identifier: Apache-2.0
// Publishes an encode in real time through the send queue: what the model predicts, done.
#pragma once

#include <functional>
#include <string>

#include "kettle/line/line_model.h"
#include "kettle/rtmp/url.h"
#include "kettle/uplink/test_stream.h"

namespace kettle {

struct PacedPublish {
  IngestUrl url;  // rtmp only: TLS hides how far the bytes have come
  std::string key;
  double seconds = 20;
  QueueRule rule;
  int held_bytes = 32 << 10;  // that the kernel may hold: the rest waits in the queue, where it can be dropped
  double patience_seconds = 10;
};

struct PacedPublishOutcome {
  SendingOutcome sending;    // delays: from a picture's time until the ingest's kernel acknowledged its last byte
  double pipe_bytes = 0;     // mean that the transport held while pictures waited for it
  double round_trip_ms = 0;  // least
};

// Throws Error(kInput) if the connection cannot be made or is lost.
PacedPublishOutcome PublishPaced(const PacedPublish& request, const TestStream& stream,
                                 const std::function<void(double)>& progress);

}  // namespace kettle
