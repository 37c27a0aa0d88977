// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/encode_each.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

constexpr double kSameMean = 0.5;  // points

// Nothing if none of them may be recorded and one has to be.
std::optional<Pair> PairOf(std::vector<FurtherStream> streams, const std::optional<Option>& recording,
                           const Capacity& capacity, const std::function<bool(const Option&)>& may_record) {
  const auto rank = [&](const FurtherStream& stream) {
    return std::pair(recording || may_record(stream.option), stream.option.score);
  };
  const auto best = std::max_element(streams.begin(), streams.end(),
                                     [&](const FurtherStream& a, const FurtherStream& b) { return rank(a) < rank(b); });
  if (!rank(*best).first) return std::nullopt;
  Pair pair{best->option, recording.value_or(best->option), {}};
  pair.destinations = best->destinations;
  pair.one_encode = !recording;
  streams.erase(best);
  pair.further = std::move(streams);
  pair.demand = DemandOf(pair, capacity);
  return pair;
}

bool IsBetter(const Pair& a, const Pair& b) {
  const double gain = MeanScore(a) - MeanScore(b);
  return std::abs(gain) > kSameMean ? gain > 0 : a.demand.cpu_cores < b.demand.cpu_cores;
}

}  // namespace

double MeanScore(const Pair& pair) {
  double sum = pair.stream.score * static_cast<double>(pair.destinations.size());
  std::size_t count = pair.destinations.size();
  for (const FurtherStream& further : pair.further) {
    sum += further.option.score * static_cast<double>(further.destinations.size());
    count += further.destinations.size();
  }
  return count == 0 ? pair.stream.score : sum / static_cast<double>(count);
}

std::optional<Pair> PlaceEach(const std::vector<EachCandidates>& candidates, const std::optional<Option>& recording,
                              const Capacity& capacity, const std::function<bool(const Option&)>& may_record) {
  std::optional<Pair> best;
  std::vector<std::size_t> at(candidates.size(), 0);
  if (std::any_of(candidates.begin(), candidates.end(), [](const auto& each) { return each.options.empty(); }))
    return best;
  while (true) {
    std::vector<FurtherStream> streams;
    for (std::size_t i = 0; i < candidates.size(); ++i)
      streams.push_back({candidates[i].destinations, candidates[i].options[at[i]]});
    std::optional<Pair> pair = PairOf(std::move(streams), recording, capacity, may_record);
    if (pair && pair->demand.fits && (!best || IsBetter(*pair, *best))) best = std::move(pair);
    std::size_t next = 0;  // as a number whose digits are the candidates
    while (next < at.size() && ++at[next] == candidates[next].options.size()) at[next++] = 0;
    if (next == at.size()) return best;
  }
}

KETTLE_JSON(EncodeEach, one, one_demand, pair, taken, why)

}  // namespace kettle
