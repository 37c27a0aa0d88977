// SPDX-License-Identifier: Apache-2.0
// The figure "capacity": what the chosen encodes, the game and the rest take of each part of the machine.
#pragma once

#include <filesystem>

#include "kettle/plan/plan.h"

namespace kettle {

// capacity.svg and .png: what the chosen pair takes of the processors and of the GPU's engine, by part, as predicted
// and as the proof run measured it, on average and in its busiest second, and what is left then. Nothing is drawn
// without a chosen pair.
void DrawCapacity(const std::filesystem::path& folder, const Plan& plan);

}  // namespace kettle
