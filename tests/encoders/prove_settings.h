// SPDX-License-Identifier: Apache-2.0
#pragma once

#include "kettle/encoders/catalogue.h"

namespace kettle::test {

// Opens a family with every abstract setting that it has, and checks in the produced bitstream that each took effect.
void ProveSettings(const EncoderFamily& family);

}  // namespace kettle::test
