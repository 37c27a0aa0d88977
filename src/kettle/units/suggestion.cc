// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/suggestion.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <numeric>

namespace kettle {

namespace {

std::size_t Distance(std::string_view a, std::string_view b) {
  std::vector<std::size_t> row(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (std::size_t i = 1; i <= a.size(); ++i) {
    std::size_t diagonal = row[0];
    row[0] = i;
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const std::size_t substituted = diagonal + (a[i - 1] == b[j - 1] ? 0 : 1);
      diagonal = row[j];
      row[j] = std::min({row[j] + 1, row[j - 1] + 1, substituted});
    }
  }
  return row[b.size()];
}

}  // namespace

std::string Nearest(std::string_view word, const std::vector<std::string>& candidates) {
  std::string best;
  std::size_t best_distance = std::string::npos;
  for (const std::string& candidate : candidates) {
    const std::size_t distance = Distance(word, candidate);
    if (distance * 2 <= std::max(word.size(), candidate.size()) && distance < best_distance) {
      best_distance = distance;
      best = candidate;
    }
  }
  return best;
}

std::string Suggestion(std::string_view word, const std::vector<std::string>& candidates) {
  if (candidates.empty()) return "";
  const std::string nearest = Nearest(word, candidates);
  if (!nearest.empty()) return fmt::format("; did you mean \"{}\"?", nearest);
  return fmt::format("; known are {}", fmt::join(candidates, ", "));
}

}  // namespace kettle
