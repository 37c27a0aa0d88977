// SPDX-License-Identifier: Apache-2.0
// What a client asks of an encode session, from NVENC's structures to the stand-in's own.
#pragma once

#include <ffnvcodec/nvEncodeAPI.h>

#include "protocol.h"

namespace standin {

bool IsSame(const GUID& a, const GUID& b);
const GUID* GuidOf(Codec codec);  // null: this version of the interface does not know it
Codec CodecOf(const GUID& guid);  // H.264 if it is none of the others
int PresetOf(const GUID& guid);   // 1 to 7; 0: none of these

// A preset's configuration, as far as it depends on the codec.
void PresetOfCodec(Codec codec, NV_ENC_CONFIG& config);
Settings SettingsFrom(const NV_ENC_INITIALIZE_PARAMS& params);

}  // namespace standin
