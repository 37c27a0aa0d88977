// SPDX-License-Identifier: Apache-2.0
// Ownership and errors of libav* objects, in one place.
#pragma once

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/imgutils.h>
#include <libavutil/opt.h>
#include <libavutil/pixdesc.h>
#include <libswscale/swscale.h>
}

#include <cstring>
#include <memory>
#include <string>
#include <vector>

#include "kettle/units/units.h"

namespace kettle {

struct LibavDeleter {
  void operator()(AVFrame* p) const { av_frame_free(&p); }
  void operator()(AVPacket* p) const { av_packet_free(&p); }
  void operator()(AVCodecContext* p) const { avcodec_free_context(&p); }
  void operator()(SwsContext* p) const { sws_freeContext(p); }
};
using FramePtr = std::unique_ptr<AVFrame, LibavDeleter>;
using PacketPtr = std::unique_ptr<AVPacket, LibavDeleter>;
using CodecContextPtr = std::unique_ptr<AVCodecContext, LibavDeleter>;
using SwsContextPtr = std::unique_ptr<SwsContext, LibavDeleter>;

// What a write callback of libavformat is handed: constant from libavformat 61 on.
#if LIBAVFORMAT_VERSION_MAJOR >= 61
using WrittenByte = const std::uint8_t;
#else
using WrittenByte = std::uint8_t;
#endif

// The fields of an interlaced picture; libavutil 58 moved both into the picture's flags.
bool IsInterlaced(const AVFrame& picture);
bool IsTopFieldFirst(const AVFrame& picture);
void SetInterlaced(AVFrame& picture, bool interlaced, bool top_field_first);

std::string LibavError(int code);  // the library's words for an error code
FramePtr NewFrame();               // throws Error(kMachine) out of memory
PacketPtr NewPacket();             // throws Error(kMachine) out of memory
// With planes of its own, 8-bit 4:2:0 unless told otherwise; throws Error(kMachine).
FramePtr NewPicture(FrameSize size, AVPixelFormat format = AV_PIX_FMT_YUV420P);
void CheckLibav(int code, const std::string& what);  // throws Error(kMachine) if code < 0

// Parameter sets for an AVCodecContext or AVCodecParameters that has none; the library frees them with it. Throws
// Error(kMachine).
template <typename Owner>
void SetExtradata(Owner& owner, const void* data, std::size_t bytes) {
  owner.extradata = static_cast<std::uint8_t*>(av_mallocz(bytes + AV_INPUT_BUFFER_PADDING_SIZE));
  CheckLibav(owner.extradata ? 0 : AVERROR(ENOMEM), "parameter sets");
  std::memcpy(owner.extradata, data, bytes);
  owner.extradata_size = static_cast<int>(bytes);
}

// While one lives, what the libraries log as errors or warnings, and the lines in which they name a GPU, is collected
// instead of printed. They may nest, and the libraries may log from any thread.
class LibavLog {
 public:
  LibavLog();
  ~LibavLog();
  LibavLog(const LibavLog&) = delete;
  LibavLog& operator=(const LibavLog&) = delete;
  std::vector<std::string> lines() const;  // since this one's start, oldest first, without line ends
  static std::vector<std::string> All();   // of the outermost one that lives

 private:
  std::size_t start_;
};

}  // namespace kettle
