// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/plan.h"

#include <algorithm>
#include <cmath>

#include "kettle/encoders/catalogue.h"

namespace kettle {

double Plan::kept_bytes() const {
  if (!chosen || keep_last_seconds <= 0) return 0;
  const Option& kept = chosen->recording;
  const double kbps = std::max(kept.mean_kbps, kept.settings.bit_rate.kbps()) + targets.audio.kbps();
  return kbps * 1000 / 8 * (keep_last_seconds + kept.settings.keyframe_seconds);
}

BitRate Plan::recording_rate() const {
  if (!chosen) return {};
  const Option& recording = chosen->recording;
  return IsQuality(recording.settings.rate_control) ? BitRate::FromKbps(std::ceil(recording.mean_kbps))
                                                    : recording.settings.bit_rate;
}

SearchSpace SpaceOf(const Targets& targets, const std::vector<std::string>& families) {
  SearchSpace space{targets.stream, targets.sizes, targets.rates, families};
  if (space.sizes.empty()) space.sizes = {targets.stream.size};
  if (space.rates.empty()) space.rates = {targets.stream.frame_rate};
  return space;
}

std::vector<Option> KnownOptions(const TrialBook& book, const EncodeSettings& target,
                                 const std::vector<Footage>& footage) {
  std::vector<Option> options;
  for (const EncoderFamily& family : Catalogue())
    for (const std::string& preset : family.presets) {
      const EncodeSettings settings = WithEncoder(target, family.name, preset);
      std::vector<Trial> trials;
      for (const Trial& trial : book.trials())
        if (trial.settings == settings && std::any_of(footage.begin(), footage.end(), [&](const Footage& pictures) {
              return pictures.key() == trial.footage_key;
            }))
          trials.push_back(trial);
      if (!trials.empty()) options.push_back(MakeOption(trials, trials.size() == footage.size()));
    }
  return options;
}

}  // namespace kettle
