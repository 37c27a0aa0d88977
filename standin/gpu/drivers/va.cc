// SPDX-License-Identifier: Apache-2.0
// The stand-in libva.so.2: the part of the public VA-API that libavutil, libavcodec and libavfilter ask for, to encode
// H.264, HEVC and AV1 on the devices of the profile. What a driver for pictures in memory does without answers
// "unimplemented".
#include <algorithm>
#include <cstring>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "va_abilities.h"
#include "va_session.h"

namespace {

using standin::ClientHeaders;
using standin::CodecOf;
using standin::EntrypointOf;
using standin::Profiles;
using standin::VaBuffer;
using standin::VaConfig;
using standin::ValueOf;
using standin::VaSession;
using standin::VaSurface;

constexpr std::size_t kCodedBytes = 4u << 20;
constexpr VAImageFormat kNv12{VA_FOURCC_NV12, VA_LSB_FIRST, 12, 0, 0, 0, 0, 0, {}};
constexpr VAImageFormat kP010{VA_FOURCC_P010, VA_LSB_FIRST, 24, 0, 0, 0, 0, 0, {}};

// A VADisplay of this library: one device, and all that was made on it.
struct Display {
  standin::DeviceInfo device{};
  std::string vendor;
  std::mutex mutex;
  unsigned next = 1;  // of all kinds of objects
  std::map<VAConfigID, VaConfig> configs;
  std::map<VASurfaceID, VaSurface> surfaces;
  std::map<VAContextID, std::unique_ptr<VaSession>> sessions;
  std::map<VABufferID, VaBuffer> buffers;
  std::map<VAImageID, VABufferID> images;
};

Display& Of(VADisplay display) { return *static_cast<Display*>(display); }

// Called with the lock held. The session in which the buffer is being filled is the one that knows it.
VAStatus WaitFor(Display& d, VaBuffer& coded) {
  for (auto& [id, session] : d.sessions)
    if (coded.pending) session->Wait(coded, d.buffers);
  return coded.status;
}

}  // namespace

extern "C" {

// For libva-drm.so.2.
VADisplay standin_va_display(unsigned index) {
  const auto devices = standin::AskDevices(standin::Interface::kVaapi);
  if (index >= devices.size()) return nullptr;
  auto display = std::make_unique<Display>();
  display->device = devices[index];
  display->vendor = std::string(display->device.name) + ", driver " + display->device.driver_version;
  return display.release();
}

int vaDisplayIsValid(VADisplay display) { return display != nullptr; }
const char* vaErrorStr(VAStatus status) {
  switch (status) {
    case VA_STATUS_SUCCESS: return "success (no error)";
    case VA_STATUS_ERROR_OPERATION_FAILED: return "operation failed";
    case VA_STATUS_ERROR_ALLOCATION_FAILED: return "resource allocation failed";
    case VA_STATUS_ERROR_UNSUPPORTED_PROFILE: return "the requested VAProfile is not supported";
    case VA_STATUS_ERROR_UNSUPPORTED_ENTRYPOINT: return "the requested VAEntryPoint is not supported";
    case VA_STATUS_ERROR_RESOLUTION_NOT_SUPPORTED: return "the requested resolution is not supported";
    case VA_STATUS_ERROR_ENCODING_ERROR: return "encoding error";
    case VA_STATUS_ERROR_INVALID_PARAMETER: return "an invalid/unsupported value was supplied";
    case VA_STATUS_ERROR_UNIMPLEMENTED: return "the requested function is not implemented";
    default: return "unknown libva error / description missing";
  }
}
const char* vaProfileStr(VAProfile) { return "a profile of the stand-in"; }
const char* vaEntrypointStr(VAEntrypoint) { return "an entry point of the stand-in"; }
const char* vaQueryVendorString(VADisplay display) { return Of(display).vendor.c_str(); }
VAMessageCallback vaSetErrorCallback(VADisplay, VAMessageCallback, void*) { return nullptr; }
VAMessageCallback vaSetInfoCallback(VADisplay, VAMessageCallback, void*) { return nullptr; }
VAStatus vaSetDriverName(VADisplay, char*) { return VA_STATUS_ERROR_UNIMPLEMENTED; }

VAStatus vaInitialize(VADisplay, int* major, int* minor) {
  *major = VA_MAJOR_VERSION;
  *minor = VA_MINOR_VERSION;
  return VA_STATUS_SUCCESS;
}
VAStatus vaTerminate(VADisplay display) {
  delete &Of(display);
  return VA_STATUS_SUCCESS;
}

// Configurations

int vaMaxNumProfiles(VADisplay) { return 8; }
int vaMaxNumEntrypoints(VADisplay) { return 1; }

VAStatus vaQueryConfigProfiles(VADisplay display, VAProfile* list, int* count) {
  const auto profiles = Profiles(Of(display).device);
  std::copy(profiles.begin(), profiles.end(), list);
  *count = static_cast<int>(profiles.size());
  return VA_STATUS_SUCCESS;
}

VAStatus vaQueryConfigEntrypoints(VADisplay display, VAProfile profile, VAEntrypoint* list, int* count) {
  const auto profiles = Profiles(Of(display).device);
  if (std::find(profiles.begin(), profiles.end(), profile) == profiles.end())
    return VA_STATUS_ERROR_UNSUPPORTED_PROFILE;
  *list = EntrypointOf(Of(display).device);
  *count = 1;
  return VA_STATUS_SUCCESS;
}

VAStatus vaGetConfigAttributes(VADisplay display, VAProfile profile, VAEntrypoint, VAConfigAttrib* list, int count) {
  for (int i = 0; i < count; ++i) list[i].value = ValueOf(Of(display).device, profile, list[i].type);
  return VA_STATUS_SUCCESS;
}

VAStatus vaCreateConfig(VADisplay display, VAProfile profile, VAEntrypoint entrypoint, VAConfigAttrib* attributes,
                        int count, VAConfigID* id) {
  Display& d = Of(display);
  const auto profiles = Profiles(d.device);
  const bool offered = std::find(profiles.begin(), profiles.end(), profile) != profiles.end();
  if (profile != VAProfileNone && !offered) return VA_STATUS_ERROR_UNSUPPORTED_PROFILE;
  if (offered && entrypoint != EntrypointOf(d.device)) return VA_STATUS_ERROR_UNSUPPORTED_ENTRYPOINT;
  if (!offered) return VA_STATUS_ERROR_UNSUPPORTED_PROFILE;
  VaConfig config{profile, entrypoint};
  for (int i = 0; i < count; ++i)
    if (attributes[i].type == VAConfigAttribRateControl) config.rate_control = attributes[i].value;
  std::lock_guard lock(d.mutex);
  d.configs[*id = d.next++] = config;
  return VA_STATUS_SUCCESS;
}
VAStatus vaDestroyConfig(VADisplay display, VAConfigID id) {
  Of(display).configs.erase(id);
  return VA_STATUS_SUCCESS;
}

VAStatus vaQuerySurfaceAttributes(VADisplay display, VAConfigID id, VASurfaceAttrib* list, unsigned* count) {
  const Display& d = Of(display);
  const auto config = d.configs.find(id);
  if (config == d.configs.end()) return VA_STATUS_ERROR_INVALID_CONFIG;
  const VAProfile profile = config->second.profile;
  const auto codec = static_cast<int>(CodecOf(profile));
  const auto number = [](VASurfaceAttribType type, int value) {
    VASurfaceAttrib attribute{};
    attribute.type = type;
    attribute.flags = VA_SURFACE_ATTRIB_GETTABLE | VA_SURFACE_ATTRIB_SETTABLE;
    attribute.value.type = VAGenericValueTypeInteger;
    attribute.value.value.i = value;
    return attribute;
  };
  std::vector<VASurfaceAttrib> all{number(VASurfaceAttribMemoryType, VA_SURFACE_ATTRIB_MEM_TYPE_VA),
                                   number(VASurfaceAttribMinWidth, 32), number(VASurfaceAttribMinHeight, 32),
                                   number(VASurfaceAttribMaxWidth, d.device.max_width[codec]),
                                   number(VASurfaceAttribMaxHeight, d.device.max_height[codec])};
  const std::uint32_t formats = ValueOf(d.device, profile, VAConfigAttribRTFormat);
  if (formats & VA_RT_FORMAT_YUV420)
    all.push_back(number(VASurfaceAttribPixelFormat, static_cast<int>(VA_FOURCC_NV12)));
  if (formats & VA_RT_FORMAT_YUV420_10)
    all.push_back(number(VASurfaceAttribPixelFormat, static_cast<int>(VA_FOURCC_P010)));
  const auto most = static_cast<unsigned>(all.size());
  if (list) std::copy_n(all.begin(), std::min(*count, most), list);
  *count = most;
  return VA_STATUS_SUCCESS;
}

// Surfaces, and images of them

VAStatus vaCreateSurfaces(VADisplay display, unsigned format, unsigned width, unsigned height, VASurfaceID* ids,
                          unsigned count, VASurfaceAttrib*, unsigned) {
  constexpr int kAlignment = 64;
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  for (unsigned i = 0; i < count; ++i) {
    VaSurface surface;
    surface.width = static_cast<int>(width);
    surface.height = static_cast<int>(height);
    surface.ten_bit = format == VA_RT_FORMAT_YUV420_10;
    surface.pitch = (surface.width * (surface.ten_bit ? 2 : 1) + kAlignment - 1) / kAlignment * kAlignment;
    surface.id = ids[i] = d.next++;
    d.surfaces.emplace(ids[i], std::move(surface));
  }
  return VA_STATUS_SUCCESS;
}
VAStatus vaDestroySurfaces(VADisplay display, VASurfaceID* ids, int count) {
  std::lock_guard lock(Of(display).mutex);
  for (int i = 0; i < count; ++i) Of(display).surfaces.erase(ids[i]);
  return VA_STATUS_SUCCESS;
}

int vaMaxNumImageFormats(VADisplay) { return 2; }
VAStatus vaQueryImageFormats(VADisplay, VAImageFormat* list, int* count) {
  list[0] = kNv12;
  list[1] = kP010;
  *count = 2;
  return VA_STATUS_SUCCESS;
}

VAStatus vaDeriveImage(VADisplay display, VASurfaceID id, VAImage* image) {
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  const auto found = d.surfaces.find(id);
  if (found == d.surfaces.end()) return VA_STATUS_ERROR_INVALID_SURFACE;
  const VaSurface& surface = found->second;
  VaBuffer buffer{.type = VAImageBufferType};
  buffer.image_of = id;
  *image = {};
  image->image_id = d.next++;
  image->buf = d.next++;
  image->format = surface.ten_bit ? kP010 : kNv12;
  image->width = static_cast<std::uint16_t>(surface.width);
  image->height = static_cast<std::uint16_t>(surface.height);
  image->data_size = static_cast<std::uint32_t>(surface.bytes());
  image->num_planes = 2;
  image->pitches[0] = image->pitches[1] = static_cast<std::uint32_t>(surface.pitch);
  image->offsets[1] = static_cast<std::uint32_t>(surface.pitch * surface.height);
  d.images[image->image_id] = image->buf;
  d.buffers.emplace(image->buf, std::move(buffer));
  return VA_STATUS_SUCCESS;
}
VAStatus vaDestroyImage(VADisplay display, VAImageID id) {
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  if (const auto image = d.images.find(id); image != d.images.end()) {
    d.buffers.erase(image->second);
    d.images.erase(image);
  }
  return VA_STATUS_SUCCESS;
}

// Buffers

VAStatus vaCreateBuffer(VADisplay display, VAContextID, VABufferType type, unsigned size, unsigned count, void* data,
                        VABufferID* id) {
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  VaBuffer buffer{.type = type};
  buffer.element_bytes = size;
  buffer.id = *id = d.next++;
  if (type == VAEncCodedBufferType)
    buffer.memory.emplace(standin::SharedMemory::Create(std::max<std::size_t>(kCodedBytes, size)));
  else if (data)
    buffer.data.assign(static_cast<const std::uint8_t*>(data), static_cast<const std::uint8_t*>(data) + size * count);
  else
    buffer.data.resize(static_cast<std::size_t>(size) * count);
  d.buffers.emplace(*id, std::move(buffer));
  return VA_STATUS_SUCCESS;
}
VAStatus vaDestroyBuffer(VADisplay display, VABufferID id) {
  std::lock_guard lock(Of(display).mutex);
  Of(display).buffers.erase(id);
  return VA_STATUS_SUCCESS;
}

VAStatus vaMapBuffer(VADisplay display, VABufferID id, void** data) {
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  const auto found = d.buffers.find(id);
  if (found == d.buffers.end()) return VA_STATUS_ERROR_INVALID_BUFFER;
  VaBuffer& buffer = found->second;
  if (buffer.type == VAImageBufferType) {
    const auto surface = d.surfaces.find(buffer.image_of);
    if (surface == d.surfaces.end()) return VA_STATUS_ERROR_INVALID_SURFACE;
    *data = surface->second.Memory().data();
    return VA_STATUS_SUCCESS;
  }
  if (buffer.type != VAEncCodedBufferType) {
    *data = buffer.data.data();
    return VA_STATUS_SUCCESS;
  }
  if (const VAStatus status = WaitFor(d, buffer); status != VA_STATUS_SUCCESS) return status;
  buffer.data = buffer.headers;
  buffer.data.insert(buffer.data.end(), buffer.memory->data(), buffer.memory->data() + buffer.bytes);
  buffer.segment = {};
  buffer.segment.size = static_cast<std::uint32_t>(buffer.data.size());
  buffer.segment.buf = buffer.data.data();
  *data = &buffer.segment;
  return VA_STATUS_SUCCESS;
}
// Of libva 2.21 and later.
VAStatus vaMapBuffer2(VADisplay display, VABufferID id, void** data, std::uint32_t) {
  return vaMapBuffer(display, id, data);
}
VAStatus vaUnmapBuffer(VADisplay, VABufferID) { return VA_STATUS_SUCCESS; }

// Encoding

VAStatus vaCreateContext(VADisplay display, VAConfigID config, int width, int height, int, VASurfaceID*, int,
                         VAContextID* id) {
  Display& d = Of(display);
  const auto found = d.configs.find(config);
  if (found == d.configs.end()) return VA_STATUS_ERROR_INVALID_CONFIG;
  const auto codec = static_cast<int>(CodecOf(found->second.profile));
  if (width > d.device.max_width[codec] || height > d.device.max_height[codec])
    return VA_STATUS_ERROR_RESOLUTION_NOT_SUPPORTED;
  standin::Descriptor socket = standin::ConnectToDevice();
  if (!socket) return VA_STATUS_ERROR_OPERATION_FAILED;
  standin::Message question{.kind = standin::Kind::kOpen, .status = {}, .device = {}};
  question.device.interface = standin::Interface::kVaapi;
  question.device.index = d.device.index;
  const auto opened =
      standin::Send(socket.get(), question) ? standin::Receive(socket.get()) : std::optional<standin::Received>();
  if (!opened || opened->message.status == standin::Status::kFailed) return VA_STATUS_ERROR_OPERATION_FAILED;
  if (opened->message.status != standin::Status::kOk) return VA_STATUS_ERROR_ALLOCATION_FAILED;
  std::lock_guard lock(d.mutex);
  d.sessions[*id = d.next++] =
      std::make_unique<VaSession>(found->second, ClientHeaders(d.device, found->second.profile), std::move(socket));
  return VA_STATUS_SUCCESS;
}
VAStatus vaDestroyContext(VADisplay display, VAContextID id) {
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  if (const auto session = d.sessions.find(id); session != d.sessions.end()) {
    session->second->Close();
    d.sessions.erase(session);
  }
  return VA_STATUS_SUCCESS;
}

VAStatus vaBeginPicture(VADisplay display, VAContextID context, VASurfaceID surface) {
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  const auto session = d.sessions.find(context);
  const auto found = d.surfaces.find(surface);
  if (session == d.sessions.end()) return VA_STATUS_ERROR_INVALID_CONTEXT;
  if (found == d.surfaces.end()) return VA_STATUS_ERROR_INVALID_SURFACE;
  session->second->Begin(found->second);
  return VA_STATUS_SUCCESS;
}
VAStatus vaRenderPicture(VADisplay display, VAContextID context, VABufferID* ids, int count) {
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  const auto session = d.sessions.find(context);
  if (session == d.sessions.end()) return VA_STATUS_ERROR_INVALID_CONTEXT;
  for (int i = 0; i < count; ++i) {
    const auto buffer = d.buffers.find(ids[i]);
    if (buffer == d.buffers.end()) return VA_STATUS_ERROR_INVALID_BUFFER;
    session->second->Take(buffer->second);
  }
  return VA_STATUS_SUCCESS;
}
VAStatus vaEndPicture(VADisplay display, VAContextID context) {
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  const auto session = d.sessions.find(context);
  return session == d.sessions.end() ? VA_STATUS_ERROR_INVALID_CONTEXT : session->second->End(d.buffers);
}

VAStatus vaSyncSurface(VADisplay display, VASurfaceID surface) {
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  const auto found = d.surfaces.find(surface);
  if (found == d.surfaces.end()) return VA_STATUS_ERROR_INVALID_SURFACE;
  const auto coded = d.buffers.find(found->second.coded);
  return coded == d.buffers.end() ? VA_STATUS_SUCCESS : WaitFor(d, coded->second);
}
VAStatus vaSyncBuffer(VADisplay display, VABufferID id, std::uint64_t) {
  Display& d = Of(display);
  std::lock_guard lock(d.mutex);
  const auto coded = d.buffers.find(id);
  return coded == d.buffers.end() ? VA_STATUS_ERROR_INVALID_BUFFER : WaitFor(d, coded->second);
}

// What pictures in memory do without

VAStatus vaAcquireBufferHandle(VADisplay, VABufferID, VABufferInfo*) { return VA_STATUS_ERROR_UNIMPLEMENTED; }
VAStatus vaReleaseBufferHandle(VADisplay, VABufferID) { return VA_STATUS_ERROR_UNIMPLEMENTED; }
VAStatus vaExportSurfaceHandle(VADisplay, VASurfaceID, std::uint32_t, std::uint32_t, void*) {
  return VA_STATUS_ERROR_UNIMPLEMENTED;
}
VAStatus vaGetDisplayAttributes(VADisplay, VADisplayAttribute*, int) { return VA_STATUS_ERROR_UNIMPLEMENTED; }
VAStatus vaCreateImage(VADisplay, VAImageFormat*, int, int, VAImage*) { return VA_STATUS_ERROR_UNIMPLEMENTED; }
VAStatus vaGetImage(VADisplay, VASurfaceID, int, int, unsigned, unsigned, VAImageID) {
  return VA_STATUS_ERROR_UNIMPLEMENTED;
}
VAStatus vaPutImage(VADisplay, VASurfaceID, VAImageID, int, int, unsigned, unsigned, int, int, unsigned, unsigned) {
  return VA_STATUS_ERROR_UNIMPLEMENTED;
}
VAStatus vaQueryVideoProcFilterCaps(VADisplay, VAContextID, VAProcFilterType, void*, unsigned*) {
  return VA_STATUS_ERROR_UNIMPLEMENTED;
}
VAStatus vaQueryVideoProcPipelineCaps(VADisplay, VAContextID, VABufferID*, unsigned, VAProcPipelineCaps*) {
  return VA_STATUS_ERROR_UNIMPLEMENTED;
}

}  // extern "C"
