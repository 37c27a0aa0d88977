// SPDX-License-Identifier: Apache-2.0
// Device contexts of libavutil, for encoders that take their pictures from a GPU's surfaces.
#pragma once

#include <string>

#include "kettle/media/libav.h"

namespace kettle {

struct BufferDeleter {
  void operator()(AVBufferRef* p) const { av_buffer_unref(&p); }
};
using BufferPtr = std::unique_ptr<AVBufferRef, BufferDeleter>;

// Opens a device: `type` is "vaapi" or "qsv", `node` the path of a render node. Throws Error(kMachine): there is no
// such node, no permission to open it (with the group to join), or the library's own words. `driver` becomes what the
// driver calls itself, if it says so.
BufferPtr OpenHardware(const std::string& type, const std::string& node, std::string& driver);

// A pool of surfaces of `format` (in main memory's terms) on a VA-API device. Throws Error(kMachine).
BufferPtr SurfacePool(AVBufferRef& device, AVPixelFormat format, FrameSize size);

// A surface of the pool with the picture on it, and the picture's properties. Throws Error(kMachine).
FramePtr Upload(AVBufferRef& pool, const AVFrame& picture);

}  // namespace kettle
