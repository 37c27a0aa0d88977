// SPDX-License-Identifier: Apache-2.0
// One publish of a test stream, whatever the protocol: what a measurement sends through and watches.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>

#include "kettle/rtmp/url.h"
#include "kettle/uplink/test_stream.h"

namespace kettle {

// Since the publish began.
struct PublishState {
  double round_trip_ms = 0;
  std::int64_t acknowledged_bytes = 0;  // of payload
  std::int64_t waiting_bytes = 0;       // that the transport has taken and not yet sent, or not yet got acknowledged
  std::int64_t packets = 0, resent_packets = 0;
};

class TestPublish {
 public:
  virtual ~TestPublish() = default;

  struct Started {
    double connect_seconds = 0;  // until the connection stood
    double publish_seconds = 0;  // until the ingest took the publish
    double answer_seconds = 0;   // its quickest answer
  };
  virtual Started started() const = 0;
  // The ingest says of itself that it is a stand-in. It may say so late.
  virtual bool simulated() const = 0;
  virtual double header_bytes() const = 0;  // of a packet on the line, below the payload

  virtual std::string Opening() = 0;  // what goes before the first picture
  // As TestStream::Picture, on the line.
  virtual std::string Picture(std::int64_t number, std::size_t bytes) = 0;

  // Sends what can be sent of `bytes`; returns how many were taken. Throws Error(kInput) if the connection is lost.
  virtual std::size_t Send(std::string_view bytes) = 0;
  // From now on no more than this goes out in any second, what is sent again included.
  virtual void LimitRate(double kbps) = 0;
  virtual void WaitToSend(double seconds) = 0;
  virtual PublishState state() = 0;
  virtual void Finish(double patience_seconds) = 0;
};

// Connects and starts the publish: RTMP, RTMPS or SRT. Throws Error(kInput) with one line. The stream must outlive it.
std::unique_ptr<TestPublish> StartTestPublish(const IngestUrl& url, const StreamKey& key, const TestStream& stream,
                                              double patience_seconds);

}  // namespace kettle
