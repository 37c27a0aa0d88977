// SPDX-License-Identifier: Apache-2.0
#include "kettle/coded/packets.h"

extern "C" {
#include <libavformat/avformat.h>
}

#include <algorithm>
#include <memory>

#include "kettle/media/libav.h"
#include "kettle/units/error.h"

namespace kettle {

CodedPictures ReadCodedPictures(const std::filesystem::path& file) {
  AVFormatContext* opened = nullptr;
  if (avformat_open_input(&opened, file.c_str(), nullptr, nullptr) < 0) FailInput("{}: cannot be read", file.string());
  const auto close = [](AVFormatContext* context) { avformat_close_input(&context); };
  const std::unique_ptr<AVFormatContext, decltype(close)> format(opened, close);
  int index = -1;
  if (avformat_find_stream_info(opened, nullptr) >= 0)
    index = av_find_best_stream(opened, AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
  if (index < 0) FailInput("{}: no picture in it", file.string());
  const AVStream& stream = *opened->streams[index];
  CodedPictures coded{avcodec_get_name(stream.codecpar->codec_id), "", stream.codecpar->width, stream.codecpar->height};
  if (stream.codecpar->extradata_size > 0)
    coded.header.assign(reinterpret_cast<const char*>(stream.codecpar->extradata),
                        static_cast<std::size_t>(stream.codecpar->extradata_size));
  const double unit = av_q2d(stream.time_base);
  double first = 0;
  const PacketPtr packet(av_packet_alloc());
  while (av_read_frame(opened, packet.get()) >= 0) {
    if (packet->stream_index == index) {
      const std::int64_t decode = packet->dts != AV_NOPTS_VALUE ? packet->dts : packet->pts;
      if (coded.pictures.empty()) first = static_cast<double>(decode) * unit;
      coded.pictures.push_back(
          {static_cast<double>(decode) * unit - first, static_cast<double>(packet->pts) * unit - first,
           (packet->flags & AV_PKT_FLAG_KEY) != 0,
           std::string(reinterpret_cast<const char*>(packet->data), static_cast<std::size_t>(packet->size))});
    }
    av_packet_unref(packet.get());
  }
  if (coded.pictures.empty()) FailInput("{}: no picture in it", file.string());
  return coded;
}

}  // namespace kettle
