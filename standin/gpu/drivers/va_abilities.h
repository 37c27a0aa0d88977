// SPDX-License-Identifier: Apache-2.0
// What a stand-in device can do, in VA-API's terms.
#pragma once

#include <va/va.h>

#include <cstdint>
#include <vector>

#include "protocol.h"

namespace standin {

Codec CodecOf(VAProfile profile);
std::vector<VAProfile> Profiles(const DeviceInfo& device);  // that it encodes
VAEntrypoint EntrypointOf(const DeviceInfo& device);        // the only one that it has
bool ClientHeaders(const DeviceInfo& device, VAProfile profile);
std::uint32_t ValueOf(const DeviceInfo& device, VAProfile profile, VAConfigAttribType type);

}  // namespace standin
