// SPDX-License-Identifier: Apache-2.0
// The stream on its way out: one encode, sent to each ingest over a connection with a queue of its own, so that one
// that dies does not harm the others.
#pragma once

#include <memory>
#include <mutex>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/coded/transport_stream.h"
#include "kettle/rehearsal/flv_packer.h"
#include "kettle/rehearsal/seconds.h"
#include "kettle/rehearsal/sender.h"

namespace kettle {

// Where a rehearsal streams to.
struct RehearsalIngest {
  std::string name, url;
  std::string key, passphrase;  // secrets; the passphrase is SRT's, empty: none
};

// What became of the stream on its way to one of them.
struct IngestOutcome {
  std::string name, url;
  std::vector<std::int64_t> dropped;  // pictures that never were sent, in order
  int connection_losses = 0;
  std::string connection_trouble;  // of the last loss
  bool simulated = false;          // the ingest says so
};

class StreamOut {
 public:
  // Connects to all. Throws Error(kInput) with one line if one does not take the publish. `held_bytes` as in
  // SenderRequest.
  StreamOut(const std::vector<RehearsalIngest>& ingests, QueueRule rule, int held_bytes, const Clock& clock);

  // Pictures, and sound of which the first track goes. The contexts are only read here. Throws Error(kInput) if an
  // ingest's protocol does not carry the codec.
  void Open(const AVCodecContext& pictures, const std::vector<const AVCodecContext*>& sound);
  // Track 0 has the pictures. Never waits. Thread-safe.
  void Enqueue(int track, const AVPacket& packet);

  // Each ingest's last `seconds`: since this was asked last.
  std::vector<SendSecond> TakeSecond(double seconds);
  void Finish(double patience_seconds);
  std::vector<IngestOutcome> Outcomes() const;  // after Finish

 private:
  struct Line {
    RehearsalIngest ingest;
    bool srt = false;
    std::unique_ptr<Sender> sender;
    SenderState before;  // when its last second was taken
  };
  std::vector<Line> lines_;
  std::mutex mutex_;  // pictures and sound come from different threads
  std::unique_ptr<FlvPacker> flv_;
  std::unique_ptr<LiveTransportStream> transport_stream_;
};

void to_json(nlohmann::json& json, const RehearsalIngest& ingest);
void from_json(const nlohmann::json& json, RehearsalIngest& ingest);
void to_json(nlohmann::json& json, const IngestOutcome& outcome);
void from_json(const nlohmann::json& json, IngestOutcome& outcome);

}  // namespace kettle
