// SPDX-License-Identifier: Apache-2.0
// The stand-in libnvidia-encode.so.1: the part of the public NVENC interface that libavcodec calls,
// passed on to the device process.
#include <ffnvcodec/nvEncodeAPI.h>
#include <time.h>

#include <algorithm>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <map>
#include <memory>
#include <vector>

#include "channel.h"
#include "nvenc_settings.h"

namespace {

using standin::Kind;
using standin::Message;
using standin::Status;

constexpr std::uint32_t kBitstreamBytes = 4u << 20;

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
  int delay = 0, pictures = 0, overruns = 0;

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

// A CUDA context of the stand-in is its device's number, from 1 on.
std::uint32_t DeviceOf(const NV_ENC_OPEN_ENCODE_SESSION_EX_PARAMS& params) {
  const auto context = reinterpret_cast<std::intptr_t>(params.device);
  return static_cast<std::uint32_t>(std::max<std::intptr_t>(1, context) - 1);
}

NVENCSTATUS NVENCAPI OpenSession(NV_ENC_OPEN_ENCODE_SESSION_EX_PARAMS* params, void** encoder) {
  auto session = std::make_unique<Session>();
  session->socket = standin::ConnectToDevice();
  if (!session->socket) return NV_ENC_ERR_NO_ENCODE_DEVICE;
  Message question{.kind = Kind::kHello, .status = {}, .device = {}};
  question.device.index = DeviceOf(*params);
  const auto hello = session->Ask(question);
  question.kind = Kind::kOpen;
  const auto opened = session->Ask(question);
  if (!hello || !opened) return NV_ENC_ERR_DEVICE_NOT_EXIST;
  if (opened->status == Status::kSessionLimit) return NV_ENC_ERR_OUT_OF_MEMORY;
  if (opened->status != Status::kOk) return NV_ENC_ERR_GENERIC;
  session->device = hello->device;
  *encoder = session.release();
  return NV_ENC_SUCCESS;
}

// The codecs that a session's device offers.
std::vector<GUID> Codecs(void* encoder) {
  const standin::DeviceInfo& device = From(encoder)->device;
  std::vector<GUID> guids;
  for (const standin::Codec codec : {standin::Codec::kH264, standin::Codec::kHevc, standin::Codec::kAv1})
    if (const GUID* guid = standin::GuidOf(codec); guid && device.max_width[static_cast<int>(codec)] > 0)
      guids.push_back(*guid);
  return guids;
}

NVENCSTATUS NVENCAPI GetGuidCount(void* encoder, std::uint32_t* count) {
  *count = static_cast<std::uint32_t>(Codecs(encoder).size());
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI GetGuids(void* encoder, GUID* guids, std::uint32_t size, std::uint32_t* count) {
  const std::vector<GUID> codecs = Codecs(encoder);
  *count = std::min(size, static_cast<std::uint32_t>(codecs.size()));
  std::copy_n(codecs.begin(), *count, guids);
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI GetCaps(void* encoder, GUID codec, NV_ENC_CAPS_PARAM* param, int* value) {
  const standin::DeviceInfo& device = From(encoder)->device;
  const auto index = static_cast<int>(standin::CodecOf(codec));
  switch (param->capsToQuery) {
    case NV_ENC_CAPS_WIDTH_MAX: *value = device.max_width[index]; break;
    case NV_ENC_CAPS_HEIGHT_MAX: *value = device.max_height[index]; break;
    case NV_ENC_CAPS_WIDTH_MIN: *value = 32; break;
    case NV_ENC_CAPS_HEIGHT_MIN: *value = 32; break;
    case NV_ENC_CAPS_SUPPORTED_RATECONTROL_MODES: *value = NV_ENC_PARAMS_RC_VBR | NV_ENC_PARAMS_RC_CBR; break;
    case NV_ENC_CAPS_NUM_MAX_BFRAMES: *value = device.b_frames[index]; break;
    case NV_ENC_CAPS_SUPPORT_10BIT_ENCODE: *value = static_cast<int>(device.ten_bit[index]); break;
    case NV_ENC_CAPS_SUPPORT_CABAC:
    case NV_ENC_CAPS_SUPPORT_CUSTOM_VBV_BUF_SIZE:
    case NV_ENC_CAPS_SUPPORT_LOOKAHEAD:
    case NV_ENC_CAPS_SUPPORT_TEMPORAL_AQ:
    case NV_ENC_CAPS_NUM_ENCODER_ENGINES: *value = 1; break;
    default: *value = 0;  // no 4:4:4, lossless, B-frames as references
  }
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI GetPresetConfig(void*, GUID codec, GUID preset, NV_ENC_TUNING_INFO, NV_ENC_PRESET_CONFIG* config) {
  if (standin::PresetOf(preset) == 0) return NV_ENC_ERR_UNSUPPORTED_PARAM;
  NV_ENC_CONFIG& c = config->presetCfg;
  c = {};
  c.version = NV_ENC_CONFIG_VER;
  c.gopLength = 250;
  c.frameIntervalP = 1;
  c.frameFieldMode = NV_ENC_PARAMS_FRAME_FIELD_MODE_FRAME;
  c.rcParams.version = NV_ENC_RC_PARAMS_VER;
  standin::PresetOfCodec(standin::CodecOf(codec), c);
  return NV_ENC_SUCCESS;
}

NVENCSTATUS NVENCAPI GetPresetConfigOld(void* encoder, GUID codec, GUID preset, NV_ENC_PRESET_CONFIG* config) {
  return GetPresetConfig(encoder, codec, preset, NV_ENC_TUNING_INFO_HIGH_QUALITY, config);
}

NVENCSTATUS NVENCAPI Initialise(void* encoder, NV_ENC_INITIALIZE_PARAMS* params) {
  Session& session = *From(encoder);
  session.settings = standin::SettingsFrom(*params);
  if (session.settings.preset == 0) return NV_ENC_ERR_UNSUPPORTED_PARAM;
  const auto answer = session.Ask({.kind = Kind::kInitialise, .status = {}, .settings = session.settings});
  if (!answer) return NV_ENC_ERR_DEVICE_NOT_EXIST;
  if (answer->status == Status::kUnsupported) return NV_ENC_ERR_UNSUPPORTED_PARAM;
  if (answer->status != Status::kOk) return NV_ENC_ERR_GENERIC;
  session.header.assign(answer->header.data, answer->header.data + answer->header.bytes);
  session.delay = answer->header.delay;
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
  Session& session = *From(encoder);
  if (params->encodePicFlags & NV_ENC_PIC_FLAG_EOS)
    return standin::Send(session.socket.get(), {.kind = Kind::kFlush, .status = {}, .pictures = standin::kAllPictures})
               ? NV_ENC_SUCCESS
               : NV_ENC_ERR_DEVICE_NOT_EXIST;
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
  if (!standin::Send(session.socket.get(), message)) return NV_ENC_ERR_DEVICE_NOT_EXIST;
  // Output buffers are filled in coded order; the first waits until the coder has seen enough.
  return session.pictures++ < session.delay ? NV_ENC_ERR_NEED_MORE_INPUT : NV_ENC_SUCCESS;
}

NV_ENC_PIC_TYPE TypeOf(const standin::Encode& encode) {
  return encode.picture_type == 2   ? NV_ENC_PIC_TYPE_IDR
         : encode.picture_type == 1 ? NV_ENC_PIC_TYPE_B
                                    : NV_ENC_PIC_TYPE_P;
}

NVENCSTATUS NVENCAPI LockBitstream(void* encoder, NV_ENC_LOCK_BITSTREAM* params) {
  Session& session = *From(encoder);
  auto* wanted = static_cast<Surface*>(params->outputBitstream);
  while (!wanted->done) {
    const auto received = standin::Receive(session.socket.get());
    if (!received) return NV_ENC_ERR_DEVICE_NOT_EXIST;
    if (received->message.status == Status::kCrash) std::raise(SIGSEGV);  // a fault of the profile
    if (received->message.status != Status::kOk) return NV_ENC_ERR_GENERIC;
    for (auto& [handle, surface] : session.surfaces)
      if (surface->id == received->message.encode.output) {
        surface->result = received->message.encode;
        surface->done = true;
        session.overruns += received->message.encode.overrun;
      }
  }
  params->bitstreamBufferPtr = wanted->memory.data();
  params->bitstreamSizeInBytes = wanted->result.bytes;
  params->outputTimeStamp = wanted->result.timestamp;
  params->pictureType = TypeOf(wanted->result);
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
  const Session& session = *From(encoder);
  if (session.overruns * 10 > session.pictures)
    std::fputs("the simulated card was slower than its profile says, since this machine codes too slowly\n", stderr);
  // Waits until the place is free again: the next session must find it so. Pictures that nobody fetched come first.
  if (standin::Send(session.socket.get(), {.kind = Kind::kClose, .status = {}, .device = {}}))
    for (auto answer = standin::Receive(session.socket.get()); answer && answer->message.kind != Kind::kClose;)
      answer = standin::Receive(session.socket.get());
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
