// SPDX-License-Identifier: Apache-2.0
#pragma once

#include "kettle/encoders/catalogue.h"

namespace kettle::test {

// What a device has of what its family could have.
struct Ability {
  bool b_frames = true;
};

// Opens a family with every abstract setting that it has, and checks in the produced bitstream that each took effect.
void ProveSettings(const EncoderFamily& family, const Ability& ability = {});
void ProveBFrames(EncodeSettings settings);  // of these alone, on any device

}  // namespace kettle::test
