// SPDX-License-Identifier: Apache-2.0
// One connection over which a stream goes to an ingest, whatever the protocol: RTMP, RTMPS or SRT.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>

#include "kettle/rtmp/chunks.h"
#include "kettle/rtmp/url.h"

namespace kettle {

// Since the publish began; bytes are of payload.
struct PublishState {
  double round_trip_ms = 0;
  std::int64_t given_bytes = 0;         // that the transport has taken
  std::int64_t acknowledged_bytes = 0;  // may count a little beyond what was given: a handshake's
  std::int64_t waiting_bytes = 0;       // taken, and not yet sent or not yet acknowledged
  std::int64_t packets = 0, resent_packets = 0;
};

class IngestConnection {
 public:
  virtual ~IngestConnection() = default;

  struct Started {
    double connect_seconds = 0;  // until the connection stood
    double publish_seconds = 0;  // until the ingest took the publish
    double answer_seconds = 0;   // its quickest answer
  };
  virtual Started started() const = 0;
  // The ingest says of itself that it is a stand-in. It may say so late.
  virtual bool simulated() const = 0;
  virtual double header_bytes() const = 0;  // of a packet on the line, below the payload

  // One message as bytes of the connection. Over SRT only the body goes: packets of an MPEG transport stream.
  virtual std::string Wrap(RtmpMessage message) = 0;

  // Sends what can be sent of `bytes`; returns how many were taken. Throws Error(kInput) if the connection is lost.
  virtual std::size_t Send(std::string_view bytes) = 0;
  // What was refused must be the first to be given again.
  virtual bool insists() const = 0;
  virtual void WaitToSend(double seconds) = 0;
  virtual PublishState state() const = 0;  // also of a lost connection; never throws

  // No more than this goes out in any second, what is sent again included.
  virtual void LimitRate(double kbps) = 0;
  // The transport takes no more bytes than these beyond what is acknowledged; or beyond what is sent.
  virtual void LimitHeld(int bytes) = 0;
  virtual void LimitUnsent(int bytes) = 0;

  // Ends the publish in good order, for at most so long. Throws Error(kInput) if the connection is lost.
  virtual void Finish(double patience_seconds) = 0;
};

// Connects and starts the publish. Throws Error(kInput) with one line: name, connection, refused key, no answer.
std::unique_ptr<IngestConnection> StartPublish(const IngestUrl& url, const StreamKey& key, double patience_seconds);

// Its two kinds, each in a file of its own.
std::unique_ptr<IngestConnection> StartRtmpPublish(const IngestUrl& url, const StreamKey& key, double patience_seconds);
std::unique_ptr<IngestConnection> StartSrtPublish(const IngestUrl& url, const StreamKey& key, double patience_seconds);

}  // namespace kettle
