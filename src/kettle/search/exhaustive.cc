// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/exhaustive.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/with_encoder.h"
#include "kettle/units/json_fields.h"

namespace kettle {

int GridSize(const SearchSpace& space, std::size_t footage) {
  std::size_t presets = 0;
  for (const std::string& family : space.families)
    presets += FindFamily(family).presets.size() * space.DevicesOf(family).size();
  return static_cast<int>(presets * space.sizes.size() * space.rates.size() * footage);
}

namespace {

// The whole grid's time is that of whole encodes: one that was cut short counts with what it would have taken.
double WholeSeconds(const Trial& trial, const Footage& footage) {
  if (!trial.truncated || trial.throughput_fps <= 0) return trial.timing.encoding;
  const double frames = footage.seconds() * trial.settings.frame_rate.fps();
  return std::max(trial.timing.encoding, frames / trial.throughput_fps);
}

}  // namespace

GridCheck CheckAgainstGrid(const SearchSpace& space, const std::vector<Footage>& footage, double required_headroom,
                           TrialBook& book) {
  GridCheck check;
  for (const FrameSize size : space.sizes)
    for (const FrameRate rate : space.rates)
      for (const std::string& family : space.families)
        for (const std::string& preset : FindFamily(family).presets) {
          EncodeSettings settings = WithEncoder(space.target, family, preset);
          settings.device = space.DeviceOf(family);
          settings.size = size;
          settings.frame_rate = rate;
          std::vector<Trial> trials;
          for (const Footage& pictures : footage) {
            trials.push_back(book.Get(settings, pictures));
            check.grid_encode_seconds += WholeSeconds(trials.back(), pictures);
          }
          check.grid_trials += static_cast<int>(trials.size());
          const Option option = MakeOption(trials, true);
          if (option.keeps_pace(required_headroom) && (!check.grid_best || option.score > check.grid_best->score))
            check.grid_best = option;
        }
  OptionBook options(book, footage, required_headroom);
  const std::vector<TriedPicture> tried = SearchPicture(space, options);
  check.search_trials = options.trials();
  check.search_encode_seconds = options.encode_seconds();
  if (!tried.empty()) check.search_best = tried.front().best;
  return check;
}

void to_json(nlohmann::json& json, const GridCheck& check) {
  const auto best = [](const std::optional<Option>& option) {
    if (!option) return nlohmann::json();
    nlohmann::json entry = *option;
    entry["size"] = option->settings.size;
    entry["frame_rate"] = option->settings.frame_rate;
    return entry;
  };
  json = {{"grid_trials", check.grid_trials},       {"grid_encode_seconds", check.grid_encode_seconds},
          {"search_trials", check.search_trials},   {"search_encode_seconds", check.search_encode_seconds},
          {"encode_share", check.encode_share()},   {"grid_best", best(check.grid_best)},
          {"search_best", best(check.search_best)}, {"loss", check.loss()}};
}

void from_json(const nlohmann::json& json, GridCheck& check) {
  KETTLE_READ_FIELDS(json, check, grid_trials, search_trials, grid_encode_seconds, search_encode_seconds, grid_best,
                     search_best);
}

}  // namespace kettle
