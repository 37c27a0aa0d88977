// SPDX-License-Identifier: Apache-2.0
// What history and compare print of runs.
#pragma once

#include <string>
#include <vector>

#include "kettle/comparison/encode_comparison.h"
#include "kettle/history/kept_run.h"

namespace kettle::app {

std::string LocalTime(const std::string& utc);  // "2026-11-29 07:16"; as it is, if it is no time
std::string Called(const KeptRun& run);         // "run 12", "run 12 (before-update)"
std::string CalledFirst(const KeptRun& run);    // the same at a sentence's beginning

// Oldest first, each with what changed since the run before it.
void PrintRuns(const std::vector<KeptRun>& runs, std::size_t listed, std::int64_t file_bytes);
void PrintRun(const KeptRun& run);
void PrintChanges(const std::vector<Message>& changes);

// A figure or a setting of two runs side by side; an empty one is not told of that run.
struct SideBySide {
  std::string what, before, now;
};
void PrintSideBySide(const std::vector<SideBySide>& facts);

// "x264 veryfast is 11 % slower (± 3)", or that there is no difference that the noise lets through.
std::string ComparisonSentence(const EncodeComparison& comparison, const std::vector<Message>& changes);
void PrintEncodes(const EncodeComparison& comparison);

}  // namespace kettle::app
