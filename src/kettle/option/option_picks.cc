// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/option_picks.h"

#include <algorithm>
#include <tuple>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/with_encoder.h"

namespace kettle {

namespace {

bool InCatalogueOrder(const Option& a, const Option& b) {
  const auto place = [](const Option& option) {
    const EncoderFamily& family = FindFamily(option.settings.encoder);
    const auto preset = std::find(family.presets.begin(), family.presets.end(), option.settings.preset);
    return std::make_tuple(family.device, option.settings.device, preset - family.presets.begin());
  };
  return place(a) < place(b);
}

bool SameButExtras(const EncodeSettings& a, const EncodeSettings& b) {
  return a.encoder == b.encoder && a.preset == b.preset && a.size == b.size && a.frame_rate == b.frame_rate;
}

}  // namespace

std::vector<Option> OfRole(const std::vector<Option>& options, const EncodeSettings& target) {
  std::vector<Option> result;
  for (const Option& option : options) {
    EncodeSettings asked = WithEncoder(target, option.settings.encoder, option.settings.preset);
    asked.device = option.settings.device;
    if (asked == option.settings) result.push_back(option);
  }
  std::sort(result.begin(), result.end(), InCatalogueOrder);
  return result;
}

std::string HardestClip(const Option& option) {
  const auto worst = std::min_element(option.clips.begin(), option.clips.end(),
                                      [](const ClipResult& a, const ClipResult& b) { return a.score < b.score; });
  return worst == option.clips.end() ? "" : worst->footage;
}

std::optional<Option> RunnerUp(const std::vector<Option>& options, const Option& chosen, double headroom) {
  std::optional<Option> best;
  for (const Option& option : options)
    if (!SameButExtras(option.settings, chosen.settings) &&
        option.settings.rate_control == chosen.settings.rate_control &&
        option.settings.bit_rate == chosen.settings.bit_rate && option.keeps_pace(headroom) &&
        (!best || option.score > best->score))
      best = option;
  return best;
}

}  // namespace kettle
