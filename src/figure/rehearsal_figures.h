// SPDX-License-Identifier: Apache-2.0
// The figures of a rehearsal: each second of it, cause by cause.
#pragma once

#include <filesystem>
#include <string>

#include "kettle/diagnosis/diagnosis.h"
#include "kettle/rehearsal/rehearsal.h"

namespace kettle {

// rehearsal.svg and .png: what used the processors second by second, the line, and each kind of loss in a lane of its
// own.
void DrawRehearsal(const std::filesystem::path& folder, const RehearsalOutcome& outcome, const DiagnosisFacts& facts,
                   bool simulated);

}  // namespace kettle
