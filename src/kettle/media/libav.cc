// SPDX-License-Identifier: Apache-2.0
#include "kettle/media/libav.h"

#include <algorithm>
#include <array>
#include <cstdio>
#include <cstring>
#include <mutex>

#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"

namespace kettle {

std::string LibavError(int code) {
  std::array<char, AV_ERROR_MAX_STRING_SIZE> text{};
  av_strerror(code, text.data(), text.size());
  return text.data();
}

void CheckLibav(int code, const std::string& what) {
  if (code < 0) FailMachine("{}: {}", what, LibavError(code));
}

FramePtr NewFrame() {
  FramePtr frame(av_frame_alloc());
  if (!frame) FailMachine("out of memory");
  return frame;
}

PacketPtr NewPacket() {
  PacketPtr packet(av_packet_alloc());
  if (!packet) FailMachine("out of memory");
  return packet;
}

FramePtr NewPicture(FrameSize size, AVPixelFormat format) {
  FramePtr frame = NewFrame();
  frame->format = format;
  frame->width = size.width;
  frame->height = size.height;
  CheckLibav(av_frame_get_buffer(frame.get(), 0), "picture memory");
  return frame;
}

#if LIBAVUTIL_VERSION_INT >= AV_VERSION_INT(58, 7, 100)
bool IsInterlaced(const AVFrame& picture) { return (picture.flags & AV_FRAME_FLAG_INTERLACED) != 0; }
bool IsTopFieldFirst(const AVFrame& picture) { return (picture.flags & AV_FRAME_FLAG_TOP_FIELD_FIRST) != 0; }
void SetInterlaced(AVFrame& picture, bool interlaced, bool top_field_first) {
  picture.flags &= ~(AV_FRAME_FLAG_INTERLACED | AV_FRAME_FLAG_TOP_FIELD_FIRST);
  if (interlaced) picture.flags |= AV_FRAME_FLAG_INTERLACED;
  if (top_field_first) picture.flags |= AV_FRAME_FLAG_TOP_FIELD_FIRST;
}
#else
bool IsInterlaced(const AVFrame& picture) { return picture.interlaced_frame != 0; }
bool IsTopFieldFirst(const AVFrame& picture) { return picture.top_field_first != 0; }
void SetInterlaced(AVFrame& picture, bool interlaced, bool top_field_first) {
  picture.interlaced_frame = interlaced;
  picture.top_field_first = top_field_first;
}
#endif

namespace {

std::mutex log_mutex;
std::vector<std::string> log_lines;
int log_depth = 0;
constexpr std::size_t kMostLines = 1000;

void Collect(void* object, int level, const char* format, va_list arguments) {
  // NVENC tells the device's name only in passing, VA-API the driver's.
  const bool names_a_device = std::strstr(format, "GPU #") || std::strstr(format, "VAAPI driver: ");
  if (level > AV_LOG_WARNING && !names_a_device) return;
  std::array<char, 1024> text{};
  int print_prefix = 0;
  av_log_format_line(nullptr, level, format, arguments, text.data(), text.size(), &print_prefix);
  std::string line = PlainText(text.data());
  while (!line.empty() && line.back() == ' ') line.pop_back();
  static_cast<void>(object);
  std::lock_guard lock(log_mutex);
  if (!line.empty() && log_lines.size() < kMostLines) log_lines.push_back(std::move(line));
}

}  // namespace

LibavLog::LibavLog() {
  std::lock_guard lock(log_mutex);
  if (log_depth++ == 0) log_lines.clear();
  start_ = log_lines.size();
  av_log_set_callback(Collect);
}

LibavLog::~LibavLog() {
  std::lock_guard lock(log_mutex);
  if (--log_depth == 0) av_log_set_callback(av_log_default_callback);
}

std::vector<std::string> LibavLog::lines() const {
  std::lock_guard lock(log_mutex);
  return {log_lines.begin() + static_cast<std::ptrdiff_t>(std::min(start_, log_lines.size())), log_lines.end()};
}

std::vector<std::string> LibavLog::All() {
  std::lock_guard lock(log_mutex);
  return log_lines;
}

}  // namespace kettle
