// SPDX-License-Identifier: Apache-2.0
// The paced run of both encodes together that ends a plan.
#pragma once

#include <algorithm>
#include <filesystem>
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/footage/cache.h"
#include "kettle/realtime/pace_task.h"
#include "kettle/realtime/turns.h"
#include "kettle/trial/trial.h"

namespace kettle {

// A machine that takes this many times as long as usual is not itself: more than a few reference encodes are off by.
inline constexpr double kSlow = 1.15;

struct Proof {
  WorkerStatus status = WorkerStatus::kMalformed;
  std::string detail;        // why, if the status is not done
  double seconds = 0;        // of footage, in real time
  bool ended_early = false;  // ProofRequest::most_cpu_cores
  int late = 0;              // frames that the source released late, for both outputs
  PacedOutputOutcome stream, recording;
  std::vector<PacedOutputOutcome> further = {};  // ProofRequest::further_streams
  double cpu_cores = 0;                          // that the run took: feeding, both encodes, writing
  double busiest_cpu_cores = 0;                  // the same in its busiest second
  double stand_in_cores = 0, other_cores = 0;
  double stolen_cores = 0;       // that the hypervisor gave to other machines
  double slowness = 1;           // how many times as long as usual the machine took for things, right before or after
  std::filesystem::path folder;  // where its stream and recording.mkv are; empty: the run did not end well

  // Of all encodes: the one that is streamed and recorded counts once.
  struct Count {
    int frames = 0, skipped = 0;
  };
  Count Total(bool one_encode) const {
    Count all{stream.frames, stream.skipped};
    const auto add = [&](const PacedOutputOutcome& output) {
      all.frames += output.frames;
      all.skipped += output.skipped;
    };
    if (!one_encode) add(recording);
    for (const PacedOutputOutcome& output : further) add(output);
    return all;
  }

  // All encodes kept pace as long as it ran: it ended well, no frame was skipped, and every one came out coded.
  bool kept_pace() const {
    return status == WorkerStatus::kDone && Whole(stream) && Whole(recording) &&
           std::all_of(further.begin(), further.end(), Whole);
  }
  // The same to the end: only such a run proves anything.
  bool holds() const { return kept_pace() && !ended_early; }

  // Something else kept the machine from its work: the hypervisor took a tenth of a processor or more, the source,
  // which has next to nothing to do, was late with more than one frame in a hundred, or all took longer than usual.
  bool disturbed() const {
    return stolen_by_others() || late * 100 > std::max(stream.frames, recording.frames) || slowness > kSlow;
  }
  // It may hold once the hypervisor leaves this machine its processors again.
  bool spoilt_by_hypervisor() const { return status == WorkerStatus::kDone && !holds() && stolen_by_others(); }

 private:
  bool stolen_by_others() const { return stolen_cores >= 0.1; }
  static bool Whole(const PacedOutputOutcome& output) { return output.skipped == 0 && output.packets == output.frames; }
};

// What is played and where to: footage in turn, for `seconds`; the files appear in `folder` as
// ProofStreamFile and recording.mkv when the run has ended well, whatever its verdict.
struct ProofRequest {
  EncodeSettings stream, recording;
  std::vector<Footage> footage;
  double seconds = 10;
  std::filesystem::path folder, scratch;                               // on the same file system
  std::vector<int> stream_processors = {}, recording_processors = {};  // LaneRequest
  First first = First::kGame;
  int sound_kbps = 160;     // of the sound that is encoded beside them
  bool one_encode = false;  // the stream's is written to disk too: there is no recording.mkv, and one lane only
  std::vector<EncodeSettings> further_streams = {};  // for destinations that get their own encode
  std::vector<int> destinations = {0};               // that the stream is sent to: which encode each gets, 0 the first
  // A second that takes more than these ends it early, for then it leaves too little headroom; 0: none does.
  double most_cpu_cores = 0;
};

// "stream.flv"; "stream.mkv" where the codec is none that every reader of FLV knows. Of the nth further one
// "stream-2.flv" and so on, counted from 1.
std::string ProofStreamFile(const EncodeSettings& stream, std::size_t further = 0);

// The stream is sent too, over connections on this machine, to where it is thrown away: `cpu_cores` counts that.
// Throws Error(kInterrupted) when stopped, Error(kMachine) if the files cannot be put in their place.
Proof RunProof(const WorkerProcess& worker, const ProofRequest& request, const Watcher& watcher);

// One row a frame of each output: output, frame, due_ms, taken_ms (empty: skipped).
std::string ProofCsv(const Proof& proof);

void to_json(nlohmann::json& json, const Proof& proof);
void from_json(const nlohmann::json& json, Proof& proof);

}  // namespace kettle
