// SPDX-License-Identifier: Apache-2.0
#include "va_abilities.h"

#include <va/va_enc_av1.h>

namespace standin {

Codec CodecOf(VAProfile profile) {
  switch (profile) {
    case VAProfileHEVCMain:
    case VAProfileHEVCMain10: return Codec::kHevc;
    case VAProfileAV1Profile0: return Codec::kAv1;
    default: return Codec::kH264;
  }
}

// The profiles that a device encodes.
std::vector<VAProfile> Profiles(const DeviceInfo& device) {
  std::vector<VAProfile> profiles;
  if (device.max_width[0] > 0)
    for (const VAProfile profile : {VAProfileH264ConstrainedBaseline, VAProfileH264Main, VAProfileH264High})
      profiles.push_back(profile);
  if (device.max_width[1] > 0) profiles.push_back(VAProfileHEVCMain);
  if (device.max_width[1] > 0 && device.ten_bit[1]) profiles.push_back(VAProfileHEVCMain10);
  if (device.max_width[2] > 0) profiles.push_back(VAProfileAV1Profile0);
  return profiles;
}

VAEntrypoint EntrypointOf(const DeviceInfo& device) {
  return device.low_power ? VAEntrypointEncSliceLP : VAEntrypointEncSlice;
}

// Of HEVC and AV1 the device writes the headers itself, as some drivers do: its coder's pictures go with no others.
bool ClientHeaders(const DeviceInfo& device, VAProfile profile) {
  return device.packed_headers && CodecOf(profile) == Codec::kH264;
}

std::uint32_t ValueOf(const DeviceInfo& device, VAProfile profile, VAConfigAttribType type) {
  constexpr int kQualityLevels = 7;
  const auto codec = static_cast<int>(CodecOf(profile));
  switch (type) {
    case VAConfigAttribRTFormat:
      if (profile == VAProfileHEVCMain10) return VA_RT_FORMAT_YUV420_10;
      // AV1's main profile has both depths.
      return VA_RT_FORMAT_YUV420 | (codec == 2 && device.ten_bit[2] ? VA_RT_FORMAT_YUV420_10 : 0u);
    case VAConfigAttribRateControl: return VA_RC_CQP | VA_RC_CBR | VA_RC_VBR | VA_RC_QVBR;
    case VAConfigAttribEncMaxRefFrames: {  // one before, and one after where it has B-frames
      constexpr std::uint32_t kBefore = 1, kAfter = 1 << 16;
      return device.b_frames[codec] > 0 ? kBefore | kAfter : kBefore;
    }
    case VAConfigAttribEncPackedHeaders:
      return ClientHeaders(device, profile) ? VA_ENC_PACKED_HEADER_SEQUENCE | VA_ENC_PACKED_HEADER_MISC
                                            : VA_ENC_PACKED_HEADER_NONE;
    case VAConfigAttribEncQualityRange: return kQualityLevels;
    case VAConfigAttribEncMaxSlices: return 1;
    case VAConfigAttribEncAV1Ext2: {
      VAConfigAttribValEncAV1Ext2 one_tile{};  // and sizes of four bytes
      one_tile.bits.tile_size_bytes_minus1 = one_tile.bits.obu_size_bytes_minus1 = 3;
      one_tile.bits.tx_mode_support = 6;  // the largest transform, or any
      return one_tile.value;
    }
    case VAConfigAttribMaxPictureWidth: return static_cast<std::uint32_t>(device.max_width[codec]);
    case VAConfigAttribMaxPictureHeight: return static_cast<std::uint32_t>(device.max_height[codec]);
    default: return VA_ATTRIB_NOT_SUPPORTED;
  }
}

}  // namespace standin
