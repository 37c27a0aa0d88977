// SPDX-License-Identifier: Apache-2.0
// The stream, as the only encode or beside recordings: searched among all that the machine holds so.
#include <algorithm>

#include "kettle/planner/planner.h"
#include "kettle/search/picture_search.h"

namespace kettle {

namespace {

double PixelRate(const EncodeSettings& settings) {
  return static_cast<double>(settings.size.pixels()) * settings.frame_rate.fps();
}

}  // namespace

SearchSpace Planner::StreamsAlone() const {
  SearchSpace space = draft_.space;
  space.fits = [this](const Option& stream) {
    return PixelRate(stream.settings) < least_pixel_rate_given_up_ && DemandAlone(stream, plan_.capacity).fits;
  };
  return space;
}

// Beside any of these.
SearchSpace Planner::StreamsBeside(const std::vector<Option>& recordings) const {
  SearchSpace space = draft_.space;
  space.fits = [this, recordings](const Option& stream) {
    return PixelRate(stream.settings) < least_pixel_rate_given_up_ &&
           std::any_of(recordings.begin(), recordings.end(),
                       [&](const Option& recording) { return PredictDemand(stream, recording, plan_.capacity).fits; });
  };
  return space;
}

// The best and those that nobody can tell from it, but that may leave more to the game; best first. Fewer frames a
// second are told from more, whatever their score.
std::vector<Option> Planner::SearchStreams(const SearchSpace& space, double score_to_beat) {
  const std::vector<TriedPicture> tried = SearchPicture(space, options_, score_to_beat);
  if (tried.empty()) return FastestStreams(space);
  if (!tried.front().best) return {};
  const Option best = *tried.front().best;  // of those that look alike it may be another than the best looking one
  std::vector<Option> streams = StreamsKnown(space, best.score - kLittleToSee);
  std::stable_sort(streams.begin(), streams.end(), [](const Option& a, const Option& b) { return a.score > b.score; });
  std::erase_if(streams, [&](const Option& option) {
    return option.settings == best.settings || option.settings.frame_rate.fps() < best.settings.frame_rate.fps();
  });
  streams.insert(streams.begin(), best);
  return streams;
}

// Where there was no time to search: what each encoder's fastest preset does, which is measured however late it is.
std::vector<Option> Planner::FastestStreams(const SearchSpace& space) {
  draft_.Begin(PlanStage::kPlacement);
  for (const FamilyOptions& family : FamiliesAt(plan_.targets))
    if (family.streams) family.measure(Role::kStream, 0);
  std::vector<Option> streams = StreamsKnown(space, kNotScored);
  std::stable_sort(streams.begin(), streams.end(), [](const Option& a, const Option& b) { return a.score > b.score; });
  return streams;
}

// Those that keep pace and fit, measured as far as they count, and look better than `least`.
std::vector<Option> Planner::StreamsKnown(const SearchSpace& space, double least) const {
  std::vector<Option> streams;
  for (const Option& option : options_.options())
    if (space.Has(option.settings) && option.scored() && option.measured && option.score > least &&
        option.calm.empty() != options_.has_calm() && option.keeps_pace(options_.required_headroom()) &&
        space.Fits(option))
      streams.push_back(option);
  return streams;
}

// Than this pair's stream: a lighter picture, as it was measured.
bool Planner::LighterLooksBetter(const Pair& pair) const {
  constexpr double kClearly = 0.85;
  const EncodeSettings& placed = plan_.targets.stream;
  const std::vector<Option> known = StreamsKnown(StreamsAlone(), pair.stream.score + kWorthChanging);
  return std::any_of(known.begin(), known.end(), [&](const Option& option) {
    return PixelRate(option.settings) <= kClearly * PixelRate(placed) && option.cpu_cores <= pair.stream.cpu_cores;
  });
}

void Planner::GiveUpPicturesAsHeavyAs(const Option& stream) {
  least_pixel_rate_given_up_ = std::min(least_pixel_rate_given_up_, PixelRate(stream.settings));
}

}  // namespace kettle
