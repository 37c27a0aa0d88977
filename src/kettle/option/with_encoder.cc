// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/with_encoder.h"

#include "kettle/encoders/catalogue.h"

namespace kettle {

EncodeSettings WithEncoder(EncodeSettings target, const std::string& family, const std::string& preset) {
  target.encoder = family;
  target.preset = preset;
  // Some GPUs make none; what their presets make is no more than destinations usually take.
  if (FindFamily(family).device == DeviceKind::kGpu && target.b_frames.value_or(0) > 0) target.b_frames.reset();
  return target;
}

}  // namespace kettle
