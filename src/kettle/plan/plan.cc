// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/plan.h"

#include <algorithm>
#include <cmath>
#include <map>

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
      EncodeSettings settings = WithEncoder(target, family.name, preset);
      std::map<int, std::vector<Trial>> by_device;
      for (const Trial& trial : book.trials()) {
        settings.device = trial.settings.device;
        if (trial.settings == settings && std::any_of(footage.begin(), footage.end(), [&](const Footage& pictures) {
              return pictures.key() == trial.footage_key;
            }))
          by_device[settings.device].push_back(book.AtUsualSpeed(trial));
      }
      for (const auto& [device, trials] : by_device)
        options.push_back(MakeOption(trials, trials.size() == footage.size()));
    }
  return options;
}

}  // namespace kettle
