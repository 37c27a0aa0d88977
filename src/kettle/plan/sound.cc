// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/sound.h"

#include <fmt/format.h>

#include <algorithm>

namespace kettle {

namespace {

std::string KiloHertz(int hz) { return fmt::format("{:g} kHz", hz / 1000.0); }

Message SampleRateWhy(const std::vector<AudioDevice>& devices, Targets& targets) {
  std::string agreeing;
  for (const AudioDevice& device : devices) {
    if (device.rate_in_use_hz.value_or(kSoundHz) != kSoundHz) {
      targets.warnings.push_back(Message{
          "sound.other-rate-in-use",
          {{"card", device.name}, {"rate", KiloHertz(*device.rate_in_use_hz)}, {"stream_rate", KiloHertz(kSoundHz)}}});
    } else if (!device.rates_hz.empty() &&
               std::find(device.rates_hz.begin(), device.rates_hz.end(), kSoundHz) == device.rates_hz.end()) {
      targets.warnings.push_back(
          Message{"sound.resampled", {{"card", device.name}, {"stream_rate", KiloHertz(kSoundHz)}}});
    } else if (!device.rates_hz.empty()) {
      agreeing += (agreeing.empty() ? "" : ", ") + device.name;
    }
  }
  if (!agreeing.empty()) return Message{"sound.cards-agree", {{"cards", agreeing}}};
  return Message{devices.empty() ? "sound.no-card" : "sound.see-note"};
}

}  // namespace

void ChooseSound(const Show& show, const std::vector<AudioDevice>& devices, Targets& targets) {
  std::vector<Message> limits;
  const BitRate usual = targets.audio;
  for (const Destination& to : show.destinations) {
    if (!to.audio_bit_rate_max) continue;
    targets.audio = std::min(targets.audio, *to.audio_bit_rate_max);
    limits.push_back(
        Message{"sound.destination-accepts", {{"destination", to.name}, {"rate", to.audio_bit_rate_max->str()}}});
  }
  Message why{"sound.usual-rate"};
  if (targets.audio < usual)
    why = Message{"sound.lower-rate", {{"limits", limits}, {"usual", usual.str()}}};
  else if (!limits.empty())
    why = Message{"sound.accepted-rate", {{"limits", limits}}};
  targets.reasons.push_back({"sound.bit_rate", targets.audio.str(), why, false});
  targets.reasons.push_back({"sound.sample_rate", KiloHertz(kSoundHz), SampleRateWhy(devices, targets), false});
}

}  // namespace kettle
