// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/sound.h"

#include <fmt/format.h>

#include <algorithm>

namespace kettle {

namespace {

std::string KiloHertz(int hz) { return fmt::format("{:g} kHz", hz / 1000.0); }

std::string SampleRateWhy(const std::vector<AudioDevice>& devices, Targets& targets) {
  std::string heard;
  for (const AudioDevice& device : devices) {
    if (device.rate_in_use_hz.value_or(kSoundHz) != kSoundHz) {
      targets.warnings.push_back(fmt::format(
          "{} runs at {} now, the stream at {}: set both to the same rate, or the sound is resampled and may drift",
          device.name, KiloHertz(*device.rate_in_use_hz), KiloHertz(kSoundHz)));
    } else if (!device.rates_hz.empty() &&
               std::find(device.rates_hz.begin(), device.rates_hz.end(), kSoundHz) == device.rates_hz.end()) {
      targets.warnings.push_back(
          fmt::format("{} does not run at {}: its sound will be resampled", device.name, KiloHertz(kSoundHz)));
    } else if (!device.rates_hz.empty()) {
      heard += (heard.empty() ? "" : ", ") + device.name;
    }
  }
  if (!heard.empty()) return heard + " runs at it too: no resampling";
  return devices.empty() ? "no sound card found" : "see the note on your sound card";
}

}  // namespace

void ChooseSound(const Show& show, const std::vector<AudioDevice>& devices, Targets& targets) {
  std::string limits;
  const BitRate usual = targets.audio;
  for (const Destination& to : show.destinations) {
    if (!to.audio_bit_rate_max) continue;
    targets.audio = std::min(targets.audio, *to.audio_bit_rate_max);
    limits += fmt::format("{}{} accepts {}", limits.empty() ? "" : ", ", to.name, to.audio_bit_rate_max->str());
  }
  std::string why = limits.empty() ? "AAC, the usual rate" : "AAC; " + limits;
  if (targets.audio < usual) why += fmt::format("; less than the usual {}", usual.str());
  targets.reasons.push_back({"sound.bit_rate", targets.audio.str(), why, false});
  targets.reasons.push_back({"sound.sample_rate", KiloHertz(kSoundHz), SampleRateWhy(devices, targets), false});
}

}  // namespace kettle
