// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/proof_run.h"

#include <algorithm>

#include "kettle/realtime/paced.h"
#include "kettle/units/json_fields.h"

namespace kettle {

PaceOutcome RunProofTask(const ProofTask& task, Clock& clock, const std::function<void(double)>& progress) {
  constexpr double kPatienceSeconds = 1;
  constexpr int kHeldBytes = 1 << 20;  // who takes it is on this machine
  const int encodes = task.encodes.empty() ? 0 : *std::max_element(task.encodes.begin(), task.encodes.end()) + 1;
  StreamOut out(task.ingests, {}, std::vector<int>(static_cast<std::size_t>(std::max(0, encodes)), kHeldBytes), clock);
  const PacketWitness witness{
      [&](std::size_t output, const AVCodecContext& encoder, const std::vector<const AVCodecContext*>& sound) {
        if (task.encodes.at(output) >= 0) out.Open(task.encodes.at(output), encoder, sound);
      },
      [&](std::size_t output, const AVPacket& packet) {
        if (task.encodes.at(output) >= 0) out.EnqueuePicture(task.encodes.at(output), packet);
      },
      [&](const AVPacket& packet) { out.EnqueueSound(packet); }};
  PaceOutcome outcome = RunPaced(task.pace, clock, progress, &witness);
  out.Finish(kPatienceSeconds);
  return outcome;
}

KETTLE_JSON(ProofTask, pace, encodes, ingests)

}  // namespace kettle
