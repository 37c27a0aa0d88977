// SPDX-License-Identifier: Apache-2.0
// The stream on its way out: its encodes, each sent to its ingests over connections with queues of their own, so that
// one that dies does not harm the others.
#pragma once

#include <map>
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
  int stream = 0;               // which encode it gets: 0 the first, n the nth further one
};

// What became of the stream on its way to one of them.
struct IngestOutcome {
  std::string name, url;
  std::vector<std::int64_t> dropped;  // pictures that never were sent, in order
  int connection_losses = 0;
  std::string connection_trouble;  // of the last loss
  bool simulated = false;          // the ingest says so
  int stream = 0;                  // RehearsalIngest::stream
};

class StreamOut {
 public:
  // Connects to all. Throws Error(kInput) with one line if one does not take the publish. `held_bytes` as in
  // SenderRequest, of each encode.
  StreamOut(const std::vector<RehearsalIngest>& ingests, QueueRule rule, const std::vector<int>& held_bytes,
            const Clock& clock);

  // An encode's pictures, and sound of which the first track goes. The contexts are only read here. Throws
  // Error(kInput) if an ingest's protocol does not carry the codec.
  void Open(int encode, const AVCodecContext& pictures, const std::vector<const AVCodecContext*>& sound);
  // Both never wait, and are thread-safe.
  void EnqueuePicture(int encode, const AVPacket& packet);
  void EnqueueSound(const AVPacket& packet);  // goes with every encode

  // Each ingest's last `seconds`: since this was asked last.
  std::vector<SendSecond> TakeSecond(double seconds);
  void Finish(double patience_seconds);         // of all at once
  std::vector<IngestOutcome> Outcomes() const;  // after Finish

 private:
  struct Line {
    RehearsalIngest ingest;
    bool srt = false;
    std::unique_ptr<Sender> sender;
    SenderState before;  // when its last second was taken
  };
  // What an encode's ingests ask for; null: none does.
  struct Packers {
    std::unique_ptr<FlvPacker> flv;
    std::unique_ptr<LiveTransportStream> transport_stream;
    std::vector<AVRational> time_bases = {};  // of the tracks
  };
  void Enqueue(int encode, int track, const AVPacket& packet);

  std::vector<Line> lines_;
  std::mutex mutex_;  // encodes and sound come from different threads
  std::map<int, Packers> packers_;
};

void to_json(nlohmann::json& json, const RehearsalIngest& ingest);
void from_json(const nlohmann::json& json, RehearsalIngest& ingest);
void to_json(nlohmann::json& json, const IngestOutcome& outcome);
void from_json(const nlohmann::json& json, IngestOutcome& outcome);

}  // namespace kettle
