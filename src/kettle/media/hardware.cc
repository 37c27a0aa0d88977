// SPDX-License-Identifier: Apache-2.0
#include "kettle/media/hardware.h"

extern "C" {
#include <libavutil/hwcontext.h>
}

#include <grp.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>

#include "kettle/units/error.h"

namespace kettle {

namespace {

void CheckNode(const std::string& node) {
  struct stat status {};
  if (stat(node.c_str(), &status) != 0) FailMachine("there is no render node {}", node);
  if (access(node.c_str(), R_OK | W_OK) == 0) return;
  const group* owner = getgrgid(status.st_gid);
  FailMachine("not permitted to open {}: join the group \"{}\" (sudo usermod -aG {} $USER), then log in again", node,
              owner ? owner->gr_name : "render", owner ? owner->gr_name : "render");
}

// Asked only of a node that did not open: a simulated GPU's is an ordinary file too.
bool IsDevice(const std::string& node) {
  struct stat status {};
  return stat(node.c_str(), &status) == 0 && S_ISCHR(status.st_mode);
}

std::string Words(int result, const LibavLog& log) {
  std::string words = LibavError(result);
  for (const std::string& line : log.lines()) words += "; " + line;
  return words;
}

}  // namespace

BufferPtr OpenHardware(const std::string& type, const std::string& node, std::string& driver) {
  CheckNode(node);
  const AVHWDeviceType kind = av_hwdevice_find_type_by_name(type.c_str());
  AVBufferRef* device = nullptr;
  AVDictionary* options = nullptr;
  if (type == "qsv") av_dict_set(&options, "child_device", node.c_str(), 0);
  const LibavLog log;
  const int result = av_hwdevice_ctx_create(&device, kind, type == "qsv" ? "auto" : node.c_str(), options, 0);
  av_dict_free(&options);
  if (result < 0 && !IsDevice(node)) {
    if (type == "qsv") FailMachine("{} has no QSV: it is an ordinary file", node);
    FailMachine("{} belongs to no GPU: it is an ordinary file", node);
  }
  if (result < 0) FailMachine("{} does not open {}: {}", type, node, Words(result, log));
  constexpr std::string_view kDriver = "VAAPI driver: ";
  for (const std::string& line : log.lines())
    if (const auto from = line.find(kDriver); from != line.npos) {
      driver = line.substr(from + kDriver.size());
      if (driver.ends_with(".")) driver.pop_back();
    }
  return BufferPtr(device);
}

BufferPtr SurfacePool(AVBufferRef& device, AVPixelFormat format, FrameSize size) {
  BufferPtr pool(av_hwframe_ctx_alloc(&device));
  if (!pool) FailMachine("out of memory");
  auto* frames = reinterpret_cast<AVHWFramesContext*>(pool->data);
  frames->format = AV_PIX_FMT_VAAPI;
  frames->sw_format = format;
  frames->width = size.width;
  frames->height = size.height;
  frames->initial_pool_size = 32;
  const LibavLog log;
  if (const int result = av_hwframe_ctx_init(pool.get()); result < 0)
    FailMachine("cannot allocate surfaces: {}", Words(result, log));
  return pool;
}

FramePtr Upload(AVBufferRef& pool, const AVFrame& picture) {
  FramePtr surface = NewFrame();
  CheckLibav(av_hwframe_get_buffer(&pool, surface.get(), 0), "a surface for a picture");
  CheckLibav(av_hwframe_transfer_data(surface.get(), &picture, 0), "uploading a picture");
  CheckLibav(av_frame_copy_props(surface.get(), &picture), "uploading a picture");
  return surface;
}

}  // namespace kettle
