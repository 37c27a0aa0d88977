// SPDX-License-Identifier: Apache-2.0
// Publishes a stream over RTMP: the client's side, frame by frame, never blocking while it sends.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "kettle/rtmp/amf.h"
#include "kettle/rtmp/chunks.h"
#include "kettle/rtmp/connection.h"
#include "kettle/rtmp/control.h"
#include "kettle/rtmp/url.h"

namespace kettle {

class RtmpPublisher {
 public:
  // Connects and starts the publish. Throws Error(kInput) with one line: name, connection, certificate, refused key, no
  // answer. The key goes to the ingest and nowhere else.
  RtmpPublisher(const IngestUrl& url, const std::string& key, double patience_seconds);

  double connect_seconds() const { return connect_seconds_; }  // until the connection (and TLS) stood
  double start_seconds() const { return start_seconds_; }      // until the ingest took the publish
  double answer_seconds() const { return answer_seconds_; }    // that one command took to be answered, at best

  bool simulated() const { return simulated_; }  // the ingest says of itself that it is a stand-in

  // The bytes of one message on the line, after what is owed to the ingest by then (answers to its pings,
  // acknowledgements): those may only stand between two messages. Its stream is set here.
  std::string Wrap(RtmpMessage message);

  // Sends what can be sent of `bytes`; returns how many were taken. If `insists`, what was refused must be the first to
  // be given again. Reads and answers what came in. Throws
  // Error(kInput) if the connection is lost or the ingest ends the publish.
  std::size_t Send(std::string_view bytes);
  bool WaitToSend(double seconds) const { return connection_->Wait(true, seconds); }
  bool insists() const { return secure_; }
  TcpState state() const { return connection_->state(); }
  void LimitUnsent(int bytes) { connection_->LimitUnsent(bytes); }
  void LimitPace(double kbps) { connection_->LimitPace(kbps); }
  void LimitHeld(int bytes) { connection_->LimitHeld(bytes); }

  // Ends the publish in good order, for at most so long. Throws Error(kInput) if the connection is lost already.
  void Finish(double patience_seconds);

 private:
  void SendAll(std::string_view bytes);
  void Handshake();
  // Reads until a command of that name comes; its values.
  std::vector<AmfValue> Await(const std::string& what);
  void TakeIn();
  std::string Read();                       // what came in, which may be nothing; counted
  void Attend(const RtmpMessage& message);  // to what every RTMP connection asks of its other side

  std::string where_, key_;
  double patience_seconds_;
  std::unique_ptr<Connection> connection_;
  ChunkWriter writer_;
  ChunkReader reader_;
  RtmpControl control_;
  std::string owed_;  // bytes that go before the next message
  double connect_seconds_ = 0, start_seconds_ = 0, answer_seconds_ = 1e9;
  std::uint32_t stream_ = 1;  // as the ingest numbers it
  bool secure_ = false, in_stream_ = false, published_ = false, simulated_ = false;
};

}  // namespace kettle
