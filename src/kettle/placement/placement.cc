// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/placement.h"

#include <algorithm>
#include <cmath>

#include "kettle/option/ladder_walk.h"

namespace kettle {

namespace {

constexpr double kSameQuality = 0.5;  // points

// Scores in steps of what nobody sees, so that "the same" is the same for any three pairs.
long QualityStep(const Option& option) { return std::lround(option.score / kSameQuality); }

// What both encodes take from the game, in tenths of a processor.
long CoreStep(const Pair& pair) { return std::lround(pair.demand.cpu_cores * 10); }

// With streams that both come within a point of the best.
bool LeavesMore(const Pair& a, const Pair& b, const Capacity& capacity) {
  if (CoreStep(a) != CoreStep(b)) return CoreStep(a) < CoreStep(b);
  // Of the game's own card they take shader units, for look-ahead and the like.
  const int on_its_card = EncodesBesideTheGame(a, capacity) - EncodesBesideTheGame(b, capacity);
  if (on_its_card != 0) return on_its_card < 0;
  if (QualityStep(a.recording) != QualityStep(b.recording)) return QualityStep(a.recording) > QualityStep(b.recording);
  return QualityStep(a.stream) > QualityStep(b.stream);
}

bool Better(const Pair& a, const Pair& b) {
  if (QualityStep(a.stream) != QualityStep(b.stream)) return QualityStep(a.stream) > QualityStep(b.stream);
  if (CoreStep(a) != CoreStep(b)) return CoreStep(a) < CoreStep(b);
  return QualityStep(a.recording) > QualityStep(b.recording);
}

}  // namespace

bool SameSettings(const Pair& a, const Pair& b) {
  return a.stream.settings == b.stream.settings && a.recording.settings == b.recording.settings &&
         a.one_encode == b.one_encode &&
         std::equal(a.further.begin(), a.further.end(), b.further.begin(), b.further.end(),
                    [](const FurtherStream& x, const FurtherStream& y) {
                      return x.destinations == y.destinations && x.option.settings == y.option.settings;
                    });
}

std::string PlaceIn(const Pair& pair, const Option& option) {
  if (option.device != "gpu" || option.device_name.empty()) return option.place();
  std::vector<Option> others{pair.stream, pair.recording};
  for (const FurtherStream& further : pair.further) others.push_back(further.option);
  const bool several = std::any_of(others.begin(), others.end(), [&](const Option& other) {
    return other.device == "gpu" && !OnOneCard(option, other);
  });
  return several ? "GPU " + option.card_name() : option.place();
}

void SortPairs(std::vector<Pair>& pairs, const Capacity& capacity) {
  double best = kNotScored;
  for (const Pair& pair : pairs) best = std::max(best, pair.stream.score);
  const auto others = std::stable_partition(pairs.begin(), pairs.end(),
                                            [&](const Pair& pair) { return pair.stream.score > best - kLittleToSee; });
  std::stable_sort(pairs.begin(), others, [&](const Pair& a, const Pair& b) { return LeavesMore(a, b, capacity); });
  std::stable_sort(others, pairs.end(), Better);
}

int EncodesBesideTheGame(const Pair& pair, const Capacity& capacity) {
  const auto is_there = [&](const Option& option) {
    return !capacity.game_card.empty() && option.device == "gpu" && option.bus_address == capacity.game_card ? 1 : 0;
  };
  int count = is_there(pair.stream) + (pair.one_encode ? 0 : is_there(pair.recording));
  for (const FurtherStream& further : pair.further) count += is_there(further.option);
  return count;
}

std::string StreamTitles(const Pair& pair) {
  std::string titles = pair.stream.title();
  for (const FurtherStream& further : pair.further) titles += " + " + further.option.title();
  return titles;
}

void Pair::Stream(Option option) {
  stream = std::move(option);
  if (one_encode) recording = stream;
}

Pair AsOneEncode(const Option& stream, const Capacity& capacity) {
  Pair pair{stream, stream, {}, {}, true};
  pair.demand = DemandOf(pair, capacity);
  return pair;
}

std::optional<Pair> SlowestBeside(const Option& stream, const FamilyOptions& family, const Capacity& capacity) {
  const auto pair_with = [&](const Option& recording) {
    return Pair{stream, recording, PredictDemand(stream, recording, capacity)};
  };
  const auto holds = [&](const Option& recording) {
    return recording.keeps_pace(capacity.headroom) && pair_with(recording).demand.fits;
  };
  const int last = LastHolding(
      family.most_presets(Role::kRecording),
      [&](int preset) { return holds(family.measure(Role::kRecording, preset)); }, 0);
  if (last < 0) return std::nullopt;
  Option best = family.measure(Role::kRecording, last);
  for (int preset = last - 1; preset >= 0; --preset)  // slower is mostly better, not always
    if (family.known(Role::kRecording, preset))
      if (Option faster = family.measure(Role::kRecording, preset); faster.score > best.score && holds(faster))
        best = std::move(faster);
  return pair_with(best);
}

}  // namespace kettle
