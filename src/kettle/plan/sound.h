// SPDX-License-Identifier: Apache-2.0
// The sound that a plan gives to stream and recording.
#pragma once

#include <vector>

#include "kettle/device/audio.h"
#include "kettle/plan/targets.h"

namespace kettle {

inline constexpr int kSoundHz = 48000;  // what is sent: the trade's rate for pictures with sound

// Sets the sound's bit rate, the lowest that all destinations take but no more than the usual one, and adds the reasons
// of rate and sample rate; warns of a sound card that cannot run at what is sent, or does not now.
void ChooseSound(const Show& show, const std::vector<AudioDevice>& devices, Targets& targets);

}  // namespace kettle
