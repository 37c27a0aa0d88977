// SPDX-License-Identifier: Apache-2.0
// The same settings with another encoder, as far as it takes them.
#pragma once

#include <string>

#include "kettle/encoders/settings.h"

namespace kettle {

// `target` with that encoder and preset.
EncodeSettings WithEncoder(EncodeSettings target, const std::string& family, const std::string& preset);

}  // namespace kettle
