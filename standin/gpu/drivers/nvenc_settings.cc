// SPDX-License-Identifier: Apache-2.0
#include "nvenc_settings.h"

#include <algorithm>
#include <cstring>

namespace standin {

namespace {

int ProfileIdc(const GUID& guid) {
  if (IsSame(guid, NV_ENC_H264_PROFILE_BASELINE_GUID)) return 66;
  if (IsSame(guid, NV_ENC_H264_PROFILE_MAIN_GUID)) return 77;
  return 100;
}

void TakeRates(const NV_ENC_RC_PARAMS& rate, Settings& s) {
  const auto kilo = [](std::uint32_t bits) { return static_cast<std::int32_t>(bits / 1000); };
  s.average_kbps = kilo(rate.averageBitRate);
  s.maximum_kbps = kilo(rate.rateControlMode == NV_ENC_PARAMS_RC_CBR || rate.maxBitRate == 0 ? rate.averageBitRate
                                                                                             : rate.maxBitRate);
  s.buffer_kbit = rate.vbvBufferSize ? kilo(rate.vbvBufferSize) : s.maximum_kbps;
  s.constant_qp = rate.rateControlMode == NV_ENC_PARAMS_RC_CONSTQP ? static_cast<int>(rate.constQP.qpInterP) : -1;
  s.target_quality = rate.rateControlMode == NV_ENC_PARAMS_RC_VBR && rate.targetQuality > 0 ? rate.targetQuality : -1;
  s.look_ahead_frames = rate.enableLookahead ? rate.lookaheadDepth : 0;
  s.adaptive_quantisation = rate.enableAQ || rate.enableTemporalAQ;
  s.multi_pass = rate.multiPass != NV_ENC_MULTI_PASS_DISABLED;
}

template <typename Vui>
void TakeColours(const Vui& vui, Settings& s) {
  s.full_range = static_cast<std::int32_t>(vui.videoFullRangeFlag);
  s.colour_primaries = static_cast<std::int32_t>(vui.colourPrimaries);
  s.transfer = static_cast<std::int32_t>(vui.transferCharacteristics);
  s.matrix = static_cast<std::int32_t>(vui.colourMatrix);
}

void TakeH264(const NV_ENC_CONFIG& config, Settings& s) {
  const NV_ENC_CONFIG_H264& h264 = config.encodeCodecConfig.h264Config;
  s.profile_idc = ProfileIdc(config.profileGUID);
  s.repeat_headers = h264.repeatSPSPPS && !h264.disableSPSPPS;
  s.access_unit_delimiter = h264.outputAUD;
  TakeColours(h264.h264VUIParameters, s);
}

void TakeHevc(const NV_ENC_CONFIG_HEVC& hevc, Settings& s) {
  s.ten_bit = hevc.pixelBitDepthMinus8 == 2;
  s.repeat_headers = hevc.repeatSPSPPS && !hevc.disableSPSPPS;
  s.access_unit_delimiter = hevc.outputAUD;
  TakeColours(hevc.hevcVUIParameters, s);
}

void TakeAv1([[maybe_unused]] const NV_ENC_CONFIG& config, [[maybe_unused]] Settings& s) {
#if NVENCAPI_MAJOR_VERSION >= 12
  const NV_ENC_CONFIG_AV1& av1 = config.encodeCodecConfig.av1Config;
  s.ten_bit = av1.pixelBitDepthMinus8 == 2;
  s.repeat_headers = 1;  // its coder always does
  s.full_range = static_cast<std::int32_t>(av1.colorRange);
  s.colour_primaries = static_cast<std::int32_t>(av1.colorPrimaries);
  s.transfer = static_cast<std::int32_t>(av1.transferCharacteristics);
  s.matrix = static_cast<std::int32_t>(av1.matrixCoefficients);
#endif
}

}  // namespace

bool IsSame(const GUID& a, const GUID& b) { return std::memcmp(&a, &b, sizeof a) == 0; }

const GUID* GuidOf(Codec codec) {
  switch (codec) {
    case Codec::kH264: return &NV_ENC_CODEC_H264_GUID;
    case Codec::kHevc: return &NV_ENC_CODEC_HEVC_GUID;
    case Codec::kAv1:
#if NVENCAPI_MAJOR_VERSION >= 12
      return &NV_ENC_CODEC_AV1_GUID;
#endif
      break;
  }
  return nullptr;
}

Codec CodecOf(const GUID& guid) {
  for (const Codec codec : {Codec::kHevc, Codec::kAv1})
    if (const GUID* known = GuidOf(codec); known && IsSame(guid, *known)) return codec;
  return Codec::kH264;
}

int PresetOf(const GUID& guid) {
  const GUID presets[] = {NV_ENC_PRESET_P1_GUID, NV_ENC_PRESET_P2_GUID, NV_ENC_PRESET_P3_GUID, NV_ENC_PRESET_P4_GUID,
                          NV_ENC_PRESET_P5_GUID, NV_ENC_PRESET_P6_GUID, NV_ENC_PRESET_P7_GUID};
  for (int i = 0; i < 7; ++i)
    if (IsSame(guid, presets[i])) return i + 1;
  return 0;
}

void PresetOfCodec(Codec codec, NV_ENC_CONFIG& c) {
  switch (codec) {
    case Codec::kH264:
      c.profileGUID = NV_ENC_H264_PROFILE_HIGH_GUID;
      c.encodeCodecConfig.h264Config.idrPeriod = c.gopLength;
      c.encodeCodecConfig.h264Config.chromaFormatIDC = 1;
      break;
    case Codec::kHevc:
      c.profileGUID = NV_ENC_HEVC_PROFILE_MAIN_GUID;
      c.encodeCodecConfig.hevcConfig.idrPeriod = c.gopLength;
      c.encodeCodecConfig.hevcConfig.chromaFormatIDC = 1;
      break;
    case Codec::kAv1:
#if NVENCAPI_MAJOR_VERSION >= 12
      c.profileGUID = NV_ENC_AV1_PROFILE_MAIN_GUID;
      c.encodeCodecConfig.av1Config.idrPeriod = c.gopLength;
      c.encodeCodecConfig.av1Config.chromaFormatIDC = 1;
#endif
      break;
  }
}

Settings SettingsFrom(const NV_ENC_INITIALIZE_PARAMS& params) {
  const NV_ENC_CONFIG& config = *params.encodeConfig;
  Settings s{};
  s.codec = CodecOf(params.encodeGUID);
  s.width = static_cast<std::int32_t>(params.encodeWidth);
  s.height = static_cast<std::int32_t>(params.encodeHeight);
  s.rate_numerator = static_cast<std::int32_t>(params.frameRateNum);
  s.rate_denominator = static_cast<std::int32_t>(params.frameRateDen);
  s.preset = PresetOf(params.presetGUID);
  s.keyframe_frames = static_cast<std::int32_t>(config.gopLength);
  s.b_frames = std::max(1, config.frameIntervalP) - 1;
  TakeRates(config.rcParams, s);
  switch (s.codec) {
    case Codec::kH264: TakeH264(config, s); break;
    case Codec::kHevc: TakeHevc(config.encodeCodecConfig.hevcConfig, s); break;
    case Codec::kAv1: TakeAv1(config, s); break;
  }
  s.pitch = (s.width * (s.ten_bit ? 2 : 1) + 63) / 64 * 64;
  return s;
}

}  // namespace standin
