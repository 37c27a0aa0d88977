// SPDX-License-Identifier: Apache-2.0
// Figures of bench and plan: speed against quality, the proof run's frames, a long run's speed.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "kettle/plan/plan.h"
#include "kettle/rehearsal/proof.h"
#include "kettle/trial/drift.h"

namespace kettle {

// speed-quality.svg/.png: every option's speed against its quality, with the frame rate's line, the
// required headroom's, and the choice marked. `chosen` is empty if there is none. Throws Error(kMachine).
void DrawSpeedQuality(const std::filesystem::path& folder, const std::vector<Option>& options,
                      const std::optional<Option>& chosen, double required_headroom);

// proof-times.svg/.png: when each frame of the proof run was taken by its encoder, against the time at
// which the queue would have been full. Draws nothing if no frame was taken. Throws Error(kMachine).
void DrawProofTimes(const std::filesystem::path& folder, const Attempt& attempt);

// Writes soak.svg and .png: throughput of each window over time, and what is needed.
void DrawSoak(const std::filesystem::path& folder, const EncodeSettings& settings,
              const std::vector<SoakWindow>& windows, const Drift& drift, double required_headroom, bool simulated);

}  // namespace kettle
