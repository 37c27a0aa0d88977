// SPDX-License-Identifier: Apache-2.0
// The stand-in libnvidia-encode.so.1: the part of the public NVENC interface that libavcodec calls,
// passed on to the device process.
#include <ffnvcodec/nvEncodeAPI.h>
#include <time.h>

#include <cstring>
#include <map>
#include <memory>
#include <vector>

#include "channel.h"

namespace {

using standin::Kind;
using standin::Message;
using standin::Status;

constexpr std::uint32_t kBitstreamBytes = 4u << 20;

bool operator==(const GUID& a, const GUID& b) { return std::memcmp(&a, &b, sizeof a) == 0; }

struct Surface {
  std::uint32_t id;
  standin::SharedMemory memory;
  bool done = false;  // for bitstreams: the device has filled it
  standin::Encode result{};
};

struct Session {
  standin::Descriptor socket;
  standin::DeviceInfo device{};
  standin::Settings settings{};
  std::vector<std::uint8_t> header;  // sequence and picture parameter sets
  std::map<void*, std::unique_ptr<Surface>> surfaces;
  std::uint32_t next_id = 1;

  Surface* AddSurface(std::size_t bytes) {
    auto surface = std::make_unique<Surface>(Surface{next_id++, standin::SharedMemory::Create(bytes), false, {}});
    Message message{.kind = Kind::kAddBuffer, .status = {}, .buffer = {surface->id, static_cast<std::uint32_t>(bytes)}};
    if (!standin::Send(socket.get(), message, surface->memory.fd())) return nullptr;
    Surface* raw = surface.get();
    surfaces[raw] = std::move(surface);
    return raw;
  }

  // Asks the device and waits for the answer; nothing if it is gone.
  std::optional<Message> Ask(const Message& question) {
    if (!standin::Send(socket.get(), question)) return std::nullopt;
    auto answer = standin::Receive(socket.get());
    if (!answer) return std::nullopt;
    return answer->message;
  }
};

Session* From(void* encoder) { return static_cast<Session*>(encoder); }

int PresetOf(const GUID& guid) {
  const GUID presets[] = {NV_ENC_PRESET_P1_GUID, NV_ENC_PRESET_P2_GUID, NV_ENC_PRESET_P3_GUID, NV_ENC_PRESET_P4_GUID,
                          NV_ENC_PRESET_P5_GUID, NV_ENC_PRESET_P6_GUID, NV_ENC_PRESET_P7_GUID};
  for (int i = 0; i < 7; ++i)
    if (guid == presets[i]) return i + 1;
  return 0;
}

NVENCSTATUS NVENCAPI OpenSession(NV_ENC_OPEN_ENCODE_SESSION_EX_PARAMS*, void** encoder) {
  auto session = std::make_unique<Session>();
  session->socket = standin::ConnectToDevice();
  if (!session->socket) return NV_ENC_ERR_NO_ENCODE_DEVICE;
  const auto hello = session->Ask({.kind = Kind::kHello, .status = {}, .device = {}});
  const auto opened = session->Ask({.kind = Kind::kOpen, .status = {}, .device = {}});
  if (!hello || !opened) return NV_ENC_ERR_DEVICE_NOT_EXIST;
  if (opened->status == Status::kSessionLimit) return NV_ENC_ERR_OUT_OF_MEMORY;
  session->device = hello->device;
  *encoder = session.release();
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI GetGuidCount(void*, std::uint32_t* count) {
  *count = 1;
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI GetGuids(void*, GUID* guids, std::uint32_t size, std::uint32_t* count) {
  *count = size > 0 ? 1 : 0;
  if (size > 0) guids[0] = NV_ENC_CODEC_H264_GUID;
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI GetCaps(void* encoder, GUID, NV_ENC_CAPS_PARAM* param, int* value) {
  switch (param->capsToQuery) {
    case NV_ENC_CAPS_WIDTH_MAX: *value = From(encoder)->device.max_width; break;
    case NV_ENC_CAPS_HEIGHT_MAX: *value = From(encoder)->device.max_height; break;
    case NV_ENC_CAPS_WIDTH_MIN: *value = 32; break;
    case NV_ENC_CAPS_HEIGHT_MIN: *value = 32; break;
    case NV_ENC_CAPS_SUPPORTED_RATECONTROL_MODES: *value = NV_ENC_PARAMS_RC_VBR | NV_ENC_PARAMS_RC_CBR; break;
    case NV_ENC_CAPS_SUPPORT_CABAC:
    case NV_ENC_CAPS_SUPPORT_CUSTOM_VBV_BUF_SIZE:
    case NV_ENC_CAPS_NUM_ENCODER_ENGINES: *value = 1; break;
    default: *value = 0;  // no B-frames, look-ahead, 4:4:4, 10 bit, lossless
  }
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI GetPresetConfig(void*, GUID, GUID preset, NV_ENC_TUNING_INFO, NV_ENC_PRESET_CONFIG* config) {
  if (PresetOf(preset) == 0) return NV_ENC_ERR_UNSUPPORTED_PARAM;
  config->presetCfg = {};
  config->presetCfg.version = NV_ENC_CONFIG_VER;
  config->presetCfg.profileGUID = NV_ENC_H264_PROFILE_HIGH_GUID;
  config->presetCfg.gopLength = 250;
  config->presetCfg.frameIntervalP = 1;
  config->presetCfg.frameFieldMode = NV_ENC_PARAMS_FRAME_FIELD_MODE_FRAME;
  config->presetCfg.rcParams.version = NV_ENC_RC_PARAMS_VER;
  config->presetCfg.encodeCodecConfig.h264Config.idrPeriod = 250;
  config->presetCfg.encodeCodecConfig.h264Config.chromaFormatIDC = 1;
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI GetPresetConfigOld(void* encoder, GUID codec, GUID preset, NV_ENC_PRESET_CONFIG* config) {
  return GetPresetConfig(encoder, codec, preset, NV_ENC_TUNING_INFO_HIGH_QUALITY, config);
}

int ProfileIdc(const GUID& guid) {
  if (guid == NV_ENC_H264_PROFILE_BASELINE_GUID) return 66;
  if (guid == NV_ENC_H264_PROFILE_MAIN_GUID) return 77;
  return 100;
}

standin::Settings SettingsFrom(const NV_ENC_INITIALIZE_PARAMS& params) {
  const NV_ENC_CONFIG& config = *params.encodeConfig;
  const NV_ENC_RC_PARAMS& rate = config.rcParams;
  const NV_ENC_CONFIG_H264& h264 = config.encodeCodecConfig.h264Config;
  const auto kilo = [](std::uint32_t bits) { return static_cast<std::int32_t>(bits / 1000); };
  standin::Settings s{};
  s.width = static_cast<std::int32_t>(params.encodeWidth);
  s.height = static_cast<std::int32_t>(params.encodeHeight);
  s.rate_numerator = static_cast<std::int32_t>(params.frameRateNum);
  s.rate_denominator = static_cast<std::int32_t>(params.frameRateDen);
  s.preset = PresetOf(params.presetGUID);
  s.average_kbps = kilo(rate.averageBitRate);
  s.maximum_kbps = kilo(rate.rateControlMode == NV_ENC_PARAMS_RC_CBR || rate.maxBitRate == 0 ? rate.averageBitRate
                                                                                             : rate.maxBitRate);
  s.buffer_kbit = rate.vbvBufferSize ? kilo(rate.vbvBufferSize) : s.maximum_kbps;
  s.constant_qp = rate.rateControlMode == NV_ENC_PARAMS_RC_CONSTQP ? static_cast<int>(rate.constQP.qpInterP) : -1;
  s.keyframe_frames = static_cast<std::int32_t>(config.gopLength);
  s.profile_idc = ProfileIdc(config.profileGUID);
  s.repeat_headers = h264.repeatSPSPPS && !h264.disableSPSPPS;
  s.access_unit_delimiter = h264.outputAUD;
  s.pitch = (s.width + 63) / 64 * 64;
  s.full_range = static_cast<std::int32_t>(h264.h264VUIParameters.videoFullRangeFlag);
  s.colour_primaries = static_cast<std::int32_t>(h264.h264VUIParameters.colourPrimaries);
  s.transfer = static_cast<std::int32_t>(h264.h264VUIParameters.transferCharacteristics);
  s.matrix = static_cast<std::int32_t>(h264.h264VUIParameters.colourMatrix);
  return s;
}

NVENCSTATUS NVENCAPI Initialise(void* encoder, NV_ENC_INITIALIZE_PARAMS* params) {
  Session& session = *From(encoder);
  session.settings = SettingsFrom(*params);
  if (session.settings.preset == 0) return NV_ENC_ERR_UNSUPPORTED_PARAM;
  const auto answer = session.Ask({.kind = Kind::kInitialise, .status = {}, .settings = session.settings});
  if (!answer) return NV_ENC_ERR_DEVICE_NOT_EXIST;
  if (answer->status == Status::kUnsupported) return NV_ENC_ERR_UNSUPPORTED_PARAM;
  if (answer->status != Status::kOk) return NV_ENC_ERR_GENERIC;
  session.header.assign(answer->header.data, answer->header.data + answer->header.bytes);
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI CreateInput(void* encoder, NV_ENC_CREATE_INPUT_BUFFER* params) {
  Session& session = *From(encoder);
  const auto pitch = static_cast<std::size_t>(session.settings.pitch);
  params->inputBuffer = session.AddSurface(pitch * params->height * 3 / 2 + 64);
  return params->inputBuffer ? NV_ENC_SUCCESS : NV_ENC_ERR_DEVICE_NOT_EXIST;
}

NVENCSTATUS NVENCAPI CreateBitstream(void* encoder, NV_ENC_CREATE_BITSTREAM_BUFFER* params) {
  params->bitstreamBuffer = From(encoder)->AddSurface(kBitstreamBytes);
  return params->bitstreamBuffer ? NV_ENC_SUCCESS : NV_ENC_ERR_DEVICE_NOT_EXIST;
}

NVENCSTATUS NVENCAPI DestroySurface(void* encoder, void* surface) {
  From(encoder)->surfaces.erase(surface);
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI LockInput(void* encoder, NV_ENC_LOCK_INPUT_BUFFER* params) {
  params->bufferDataPtr = static_cast<Surface*>(params->inputBuffer)->memory.data();
  params->pitch = static_cast<std::uint32_t>(From(encoder)->settings.pitch);
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI Unlock(void*, void*) { return NV_ENC_SUCCESS; }

NVENCSTATUS NVENCAPI EncodePicture(void* encoder, NV_ENC_PIC_PARAMS* params) {
  if (params->encodePicFlags & NV_ENC_PIC_FLAG_EOS) return NV_ENC_SUCCESS;  // one in, one out: nothing is held back
  auto* input = static_cast<Surface*>(params->inputBuffer);
  auto* output = static_cast<Surface*>(params->outputBitstream);
  output->done = false;
  timespec now;
  clock_gettime(CLOCK_MONOTONIC, &now);
  Message message{.kind = Kind::kEncode, .status = {}, .encode = {}};
  message.encode.input = input->id;
  message.encode.output = output->id;
  message.encode.submitted_ns = now.tv_sec * 1'000'000'000 + now.tv_nsec;
  message.encode.timestamp = params->inputTimeStamp;
  message.encode.force_keyframe = (params->encodePicFlags & NV_ENC_PIC_FLAG_FORCEIDR) != 0;
  return standin::Send(From(encoder)->socket.get(), message) ? NV_ENC_SUCCESS : NV_ENC_ERR_DEVICE_NOT_EXIST;
}

NVENCSTATUS NVENCAPI LockBitstream(void* encoder, NV_ENC_LOCK_BITSTREAM* params) {
  Session& session = *From(encoder);
  auto* wanted = static_cast<Surface*>(params->outputBitstream);
  while (!wanted->done) {
    const auto received = standin::Receive(session.socket.get());
    if (!received) return NV_ENC_ERR_DEVICE_NOT_EXIST;
    if (received->message.status != Status::kOk) return NV_ENC_ERR_GENERIC;
    for (auto& [handle, surface] : session.surfaces)
      if (surface->id == received->message.encode.output) {
        surface->result = received->message.encode;
        surface->done = true;
      }
  }
  params->bitstreamBufferPtr = wanted->memory.data();
  params->bitstreamSizeInBytes = wanted->result.bytes;
  params->outputTimeStamp = wanted->result.timestamp;
  params->pictureType = wanted->result.is_keyframe ? NV_ENC_PIC_TYPE_IDR : NV_ENC_PIC_TYPE_P;
  params->pictureStruct = NV_ENC_PIC_STRUCT_FRAME;
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI GetSequenceParams(void* encoder, NV_ENC_SEQUENCE_PARAM_PAYLOAD* payload) {
  const auto& header = From(encoder)->header;
  if (header.size() > payload->inBufferSize) return NV_ENC_ERR_NOT_ENOUGH_BUFFER;
  std::memcpy(payload->spsppsBuffer, header.data(), header.size());
  *payload->outSPSPPSPayloadSize = static_cast<std::uint32_t>(header.size());
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI SetStreams(void*, NV_ENC_CUSTREAM_PTR, NV_ENC_CUSTREAM_PTR) { return NV_ENC_SUCCESS; }

NVENCSTATUS NVENCAPI DestroyEncoder(void* encoder) {
  delete From(encoder);
  return NV_ENC_SUCCESS;
}

const char* NVENCAPI LastError(void*) { return "stand-in driver"; }

}  // namespace

extern "C" {

NVENCSTATUS NVENCAPI NvEncodeAPIGetMaxSupportedVersion(std::uint32_t* version) {
  *version = (NVENCAPI_MAJOR_VERSION << 4) | NVENCAPI_MINOR_VERSION;
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI NvEncodeAPICreateInstance(NV_ENCODE_API_FUNCTION_LIST* list) {
  list->nvEncOpenEncodeSessionEx = OpenSession;
  list->nvEncGetEncodeGUIDCount = GetGuidCount;
  list->nvEncGetEncodeGUIDs = GetGuids;
  list->nvEncGetEncodeCaps = GetCaps;
  list->nvEncGetEncodePresetConfig = GetPresetConfigOld;
  list->nvEncGetEncodePresetConfigEx = GetPresetConfig;
  list->nvEncInitializeEncoder = Initialise;
  list->nvEncCreateInputBuffer = CreateInput;
  list->nvEncDestroyInputBuffer = DestroySurface;
  list->nvEncCreateBitstreamBuffer = CreateBitstream;
  list->nvEncDestroyBitstreamBuffer = DestroySurface;
  list->nvEncLockInputBuffer = LockInput;
  list->nvEncUnlockInputBuffer = Unlock;
  list->nvEncEncodePicture = EncodePicture;
  list->nvEncLockBitstream = LockBitstream;
  list->nvEncUnlockBitstream = Unlock;
  list->nvEncGetSequenceParams = GetSequenceParams;
  list->nvEncSetIOCudaStreams = SetStreams;
  list->nvEncDestroyEncoder = DestroyEncoder;
  list->nvEncGetLastErrorString = LastError;
  return NV_ENC_SUCCESS;
}

}  // extern "C"
