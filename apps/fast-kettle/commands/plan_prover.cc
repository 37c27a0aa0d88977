// SPDX-License-Identifier: Apache-2.0
#include "commands/plan_prover.h"

#include <fmt/format.h>

#include <algorithm>

#include "kettle/machine/quiet.h"
#include "process/interrupt.h"

namespace kettle::app {

namespace fs = std::filesystem;

Proof Prover::Run(const Pair& pair, double most_cpu_cores) {
  constexpr double kStartSeconds = 1;  // until both encoders are open
  if (spoilt_ && !session_.request().plan_budget_seconds) AwaitQuiet();
  session_.progress().Rename("proof run");
  session_.MeetBusiestLoad(session_.request().proof_seconds + 2 * kStartSeconds);
  const fs::path folder = session_.scratch() / fmt::format("proof-{}", ++runs_);
  fs::create_directories(folder);
  ProofRequest request{pair.stream.settings,
                       pair.recording.settings,
                       footage_,
                       session_.request().proof_seconds,
                       folder,
                       session_.scratch(),
                       pair.cores.stream,
                       pair.cores.recording,
                       first_,
                       sound_kbps_,
                       pair.one_encode};
  request.most_cpu_cores = most_cpu_cores;
  request.destinations.assign(pair.further.empty() ? destinations_ : pair.destinations.size(), 0);
  for (const FurtherStream& further : pair.further) {
    request.further_streams.push_back(further.option.settings);
    request.destinations.insert(request.destinations.end(), further.destinations.size(),
                                static_cast<int>(request.further_streams.size()));
  }
  const std::string streams = StreamTitles(pair);
  Proof proof = RunProof(session_.worker(), request, [&](const std::string&, double share) {
    session_.progress().Show(
        pair.one_encode ? fmt::format("stream {}, recorded as it is, in real time", streams)
                        : fmt::format("stream {}, recording {}, at once in real time", streams, pair.recording.title()),
        share);
  });
  session_.progress().StepsDone(kProofSteps);
  // The declared load is no other program.
  if (session_.load()) proof.other_cores = std::max(0.0, proof.other_cores - session_.load()->profile().mean_cores());
  spoilt_ = proof.spoilt_by_hypervisor();
  MakeRoom(proof);
  return proof;
}

// Another run right after that one would tell as little.
void Prover::AwaitQuiet() {
  session_.progress().Rename("waiting: other machines on this host are using its processors");
  kettle::AwaitQuiet(
      [this](double seconds) {
        ThrowIfStopped();
        patience_left_ -= seconds;
        return StolenWhileBusy(std::max(1, session_.machine().processor.usable_threads), seconds);
      },
      patience_left_);
}

// Long runs are large: only what may still be taken is kept.
void Prover::MakeRoom(const Proof& latest) {
  std::error_code ignored;
  if (!failed_.empty()) fs::remove_all(failed_, ignored);
  failed_ = latest.holds() ? fs::path() : latest.folder;
}

}  // namespace kettle::app
