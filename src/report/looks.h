// SPDX-License-Identifier: Apache-2.0
// A score told in words that need no explanation.
#pragma once

#include <string>

namespace kettle {

// "looks good (64 of 100)". The words are made from the anchors of SSIMULACRA 2's public reference: 90 no difference
// seen, 70 high, 50 medium, 30 low quality.
std::string Looks(double score);
// With half of its 95 % interval: "looks good (64 of 100, ±2)".
std::string Looks(double score, double interval);

// "64.2": points of 100.
std::string Points(double score);

// What the numbers mean, for the foot of a table.
inline constexpr const char* kScoreLegend =
    "score: 90 no difference seen, 70 very good, 50 good, 30 fair, below that poor (SSIMULACRA 2, of 100)";

}  // namespace kettle
