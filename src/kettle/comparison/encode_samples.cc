// SPDX-License-Identifier: Apache-2.0
#include "kettle/comparison/encode_samples.h"

#include <algorithm>
#include <cmath>

#include "kettle/units/statistics.h"

namespace kettle {

namespace {

// Of one trial by round; empty where that repeat does not count.
using Rounds = std::vector<std::optional<double>>;

Rounds RoundsOf(const Trial& trial, const std::function<std::optional<double>(const Trial&, const Repeat&)>& value) {
  const bool all_count = CountedRepeats(trial).size() == trial.repeats.size();
  Rounds rounds;
  for (const Repeat& repeat : trial.repeats) {
    const auto figure = all_count || !repeat.disturbed() ? value(trial, repeat) : std::nullopt;
    rounds.push_back(figure ? std::optional(std::log(*figure)) : std::nullopt);
  }
  return rounds;
}

Samples Present(const Rounds& rounds) {
  Samples samples;
  for (const auto& figure : rounds)
    if (figure) samples.push_back(*figure);
  return samples;
}

// What the encodes of round `at` have in common beyond their own levels; nothing where too few ran in it.
std::optional<double> CommonPart(const std::vector<Rounds>& encodes, const std::vector<double>& levels,
                                 std::size_t at) {
  Samples deviations;
  for (std::size_t i = 0; i < encodes.size(); ++i)
    if (at < encodes[i].size() && encodes[i][at]) deviations.push_back(*encodes[i][at] - levels[i]);
  return deviations.size() >= kEnoughForCommon ? Mean(deviations) : std::nullopt;
}

// Of one encode, without the common parts of its rounds.
double LevelOf(const Rounds& rounds, const Rounds& common) {
  Samples own;
  for (std::size_t at = 0; at < rounds.size(); ++at)
    if (rounds[at]) own.push_back(*rounds[at] - (at < common.size() ? common[at].value_or(0) : 0));
  return Mean(own).value_or(0);
}

// By round; all empty where only one was measured, which tells nothing of a drift.
Rounds CommonParts(const std::vector<Rounds>& encodes) {
  constexpr int kPasses = 5;  // one is exact where all encodes ran in all rounds
  std::size_t most = 0;
  for (const Rounds& rounds : encodes) most = std::max(most, rounds.size());
  Rounds common(most);
  for (int pass = 0; pass < kPasses && most > 1; ++pass) {
    std::vector<double> levels;
    for (const Rounds& rounds : encodes) levels.push_back(LevelOf(rounds, common));
    for (std::size_t at = 0; at < most; ++at) common[at] = CommonPart(encodes, levels, at);
  }
  return common;
}

double DriftOf(const Samples& common) {
  constexpr std::size_t kParts = 4;
  if (common.size() < 2 * kParts) return Deviation(common).value_or(0) / std::sqrt(static_cast<double>(common.size()));
  const Samples parts = WindowMeans(common, common.size() / kParts);
  return *Deviation(parts) / std::sqrt(static_cast<double>(parts.size()));
}

}  // namespace

EncodeSamples SamplesOf(const std::vector<const Trial*>& trials,
                        const std::function<std::optional<double>(const Trial&, const Repeat&)>& value) {
  std::vector<Rounds> encodes;
  for (const Trial* trial : trials) encodes.push_back(RoundsOf(*trial, value));
  const Rounds common = CommonParts(encodes);
  const Samples parts = Present(common);
  const double level = Mean(parts).value_or(0);

  EncodeSamples samples;
  samples.rounds = static_cast<int>(parts.size());
  if (!parts.empty()) samples.drift = DriftOf(parts);
  for (Rounds& rounds : encodes) {
    for (std::size_t at = 0; at < rounds.size() && at < common.size(); ++at)
      if (rounds[at] && common[at]) *rounds[at] -= *common[at] - level;
    samples.encodes.push_back(Present(rounds));
  }
  return samples;
}

}  // namespace kettle
