// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/stream_candidates.h"

#include <algorithm>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/with_encoder.h"

namespace kettle {

namespace {

bool Contains(const auto& all, const auto& one) { return std::find(all.begin(), all.end(), one) != all.end(); }

}  // namespace

StreamCandidates::StreamCandidates(const SearchSpace& space, const OptionBook& book) : space_(space), book_(book) {
  for (const std::string& encoder : space.families)
    AddGrid(encoder, RefinementOf(WithEncoder(space.target, encoder, FindFamily(encoder).presets.front())));
}

void StreamCandidates::Grow() {
  if (!space_.refined) return;
  for (const Option& option : book_.options()) {
    const EncodeSettings& settings = option.settings;
    if (!option.scored() || !option.keeps_pace(book_.required_headroom()) || !space_.Has(settings)) continue;
    const std::pair grid(settings.encoder, RefinementOf(settings));
    if (!Contains(grids_, grid) && Gains(option)) AddGrid(grid.first, grid.second);
    if (Contains(grown_, settings)) continue;
    grown_.push_back(settings);
    for (const Refinement& next : NextRefinements(option, space_.MostBFramesOf(settings.encoder)))
      Add(WithRefinement(settings, next));
  }
}

bool StreamCandidates::Gains(const Option& refined) const {
  const Refinement as_asked =
      RefinementOf(WithEncoder(space_.target, refined.settings.encoder, refined.settings.preset));
  const EncodeSettings plain = WithRefinement(refined.settings, as_asked);
  return std::any_of(book_.options().begin(), book_.options().end(), [&](const Option& option) {
    return option.settings == plain && option.scored() && refined.busiest_score() > option.busiest_score();
  });
}

void StreamCandidates::AddGrid(const std::string& encoder, const Refinement& refinement) {
  grids_.emplace_back(encoder, refinement);
  for (const FrameSize size : space_.sizes)
    for (const FrameRate rate : space_.rates)
      for (const int device : space_.DevicesOf(encoder))
        for (const std::string& preset : FindFamily(encoder).presets) {
          EncodeSettings settings = WithRefinement(WithEncoder(space_.target, encoder, preset), refinement);
          settings.device = device;
          settings.size = size;
          settings.frame_rate = rate;
          Add(settings);
        }
}

void StreamCandidates::Add(const EncodeSettings& s) {
  const bool is_new =
      keys_
          .emplace(s.encoder, s.preset, s.device, s.size.height, s.frame_rate.numerator, s.frame_rate.denominator,
                   s.b_frames.value_or(-1), s.look_ahead_frames.value_or(-1), s.multi_pass.value_or(false))
          .second;
  if (is_new) all_.push_back({s, book_.Looks(s)});
}

}  // namespace kettle
