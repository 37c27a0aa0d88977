// SPDX-License-Identifier: Apache-2.0
// The proof run inside its worker: encodes in real time, written to files, and the stream sent as well, so that what
// sending takes of the machine counts too.
#pragma once

#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <vector>

#include "kettle/realtime/pace_task.h"
#include "kettle/rehearsal/stream_out.h"
#include "kettle/units/clock.h"

namespace kettle {

struct ProofTask {
  PaceTask pace;
  // For each of its outputs, which of the stream's encodes it is (RehearsalIngest::stream); below zero: none is sent.
  std::vector<int> encodes;
  std::vector<RehearsalIngest> ingests;
};

// Throws as RunPaced and StreamOut do.
PaceOutcome RunProofTask(const ProofTask& task, Clock& clock, const std::function<void(double)>& progress);

void to_json(nlohmann::json& json, const ProofTask& task);
void from_json(const nlohmann::json& json, ProofTask& task);

}  // namespace kettle
