// SPDX-License-Identifier: Apache-2.0
#include "va_abilities.h"

namespace standin {

bool IsHevc(VAProfile profile) { return profile == VAProfileHEVCMain || profile == VAProfileHEVCMain10; }

// The profiles that a device encodes.
std::vector<VAProfile> Profiles(const DeviceInfo& device) {
  std::vector<VAProfile> profiles;
  if (device.max_width[0] > 0)
    for (const VAProfile profile : {VAProfileH264ConstrainedBaseline, VAProfileH264Main, VAProfileH264High})
      profiles.push_back(profile);
  if (device.max_width[1] > 0) profiles.push_back(VAProfileHEVCMain);
  if (device.max_width[1] > 0 && device.ten_bit[1]) profiles.push_back(VAProfileHEVCMain10);
  return profiles;
}

VAEntrypoint EntrypointOf(const DeviceInfo& device) {
  return device.low_power ? VAEntrypointEncSliceLP : VAEntrypointEncSlice;
}

// Of HEVC the device writes the headers itself, as some drivers do: its coder's pictures go with no others.
bool ClientHeaders(const DeviceInfo& device, VAProfile profile) { return device.packed_headers && !IsHevc(profile); }

std::uint32_t ValueOf(const DeviceInfo& device, VAProfile profile, VAConfigAttribType type) {
  constexpr int kQualityLevels = 7;
  const int codec = IsHevc(profile);
  switch (type) {
    case VAConfigAttribRTFormat: return profile == VAProfileHEVCMain10 ? VA_RT_FORMAT_YUV420_10 : VA_RT_FORMAT_YUV420;
    case VAConfigAttribRateControl: return VA_RC_CQP | VA_RC_CBR | VA_RC_VBR | VA_RC_QVBR;
    case VAConfigAttribEncMaxRefFrames: return 1;  // before, and none after
    case VAConfigAttribEncPackedHeaders:
      return ClientHeaders(device, profile) ? VA_ENC_PACKED_HEADER_SEQUENCE | VA_ENC_PACKED_HEADER_MISC
                                            : VA_ENC_PACKED_HEADER_NONE;
    case VAConfigAttribEncQualityRange: return kQualityLevels;
    case VAConfigAttribEncMaxSlices: return 1;
    case VAConfigAttribMaxPictureWidth: return static_cast<std::uint32_t>(device.max_width[codec]);
    case VAConfigAttribMaxPictureHeight: return static_cast<std::uint32_t>(device.max_height[codec]);
    default: return VA_ATTRIB_NOT_SUPPORTED;
  }
}

}  // namespace standin
