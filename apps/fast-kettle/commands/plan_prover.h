// SPDX-License-Identifier: Apache-2.0
// Proof runs of a plan: pairs of stream and recording, in real time, under the session's load.
#pragma once

#include <algorithm>
#include <filesystem>
#include <vector>

#include "kettle/footage/cache.h"
#include "kettle/placement/placement.h"
#include "kettle/rehearsal/proof.h"
#include "session/session.h"

namespace kettle::app {

// What a proof run takes beside a trial, for the time left.
inline constexpr int kProofSteps = 4;

// Each run's files go to a folder of its own: which run stands shows only in the end.
class Prover {
 public:
  // Keeps references to `session` and `footage`.
  Prover(Session& session, const std::vector<Footage>& footage, First first, int sound_kbps, std::size_t destinations)
      : session_(session),
        footage_(footage),
        first_(first),
        sound_kbps_(sound_kbps),
        destinations_(std::max<std::size_t>(1, destinations)) {}

  // Throws Error as kettle::RunProof. A second that takes more than `most_cpu_cores` ends the run early; 0: none does.
  Proof Run(const Pair& pair, double most_cpu_cores = 0);

 private:
  void AwaitQuiet();
  void MakeRoom(const Proof& latest);

  Session& session_;
  const std::vector<Footage>& footage_;
  const First first_;
  const int sound_kbps_;            // of the sound beside both encodes
  const std::size_t destinations_;  // that the stream is sent to
  int runs_ = 0;
  bool spoilt_ = false;           // the latest run did not hold, and other machines on this host had their part in that
  double patience_left_ = 120;    // seconds that the plan may wait for them, in all
  std::filesystem::path failed_;  // the latest run's files, if it did not hold
};

}  // namespace kettle::app
