// SPDX-License-Identifier: Apache-2.0
// "Did you mean": the nearest of the right names.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace kettle {

// The candidate with the smallest Levenshtein distance to `word` (ties: the first); empty if there
// is none within half of the longer word's length.
std::string Nearest(std::string_view word, const std::vector<std::string>& candidates);

// "; did you mean X?" for the nearest, otherwise "; known are A, B, C" ("" if there are none).
std::string Suggestion(std::string_view word, const std::vector<std::string>& candidates);

}  // namespace kettle
