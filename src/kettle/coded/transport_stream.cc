// SPDX-License-Identifier: Apache-2.0
#include "kettle/coded/transport_stream.h"

#include <cmath>
#include <cstring>
#include <utility>

#include "kettle/media/libav.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr AVRational kClock = {1, 90'000};
constexpr int kDatagramsBytes = 188 * 64;

int WriteBytes(void* taken, WrittenByte* bytes, int count) {
  static_cast<std::string*>(taken)->append(reinterpret_cast<const char*>(bytes), static_cast<std::size_t>(count));
  return count;
}

}  // namespace

TransportStream::TransportStream(const CodedPictures& coded) {
  try {
    Open(coded);
  } catch (...) {
    Free();
    throw;
  }
}

void TransportStream::Open(const CodedPictures& coded) {
  CheckLibav(avformat_alloc_output_context2(&format_, nullptr, "mpegts", nullptr), "no transport stream");
  const AVCodecDescriptor* codec = avcodec_descriptor_get_by_name(coded.codec.c_str());
  AVStream* stream = avformat_new_stream(format_, nullptr);
  auto* buffer = static_cast<unsigned char*>(av_malloc(kDatagramsBytes));
  format_->pb = avio_alloc_context(buffer, kDatagramsBytes, 1, &taken_, nullptr, WriteBytes, nullptr);
  if (!codec || !stream || !format_->pb) FailMachine("no transport stream for {}", coded.codec);
  AVCodecParameters& parameters = *stream->codecpar;
  parameters.codec_type = AVMEDIA_TYPE_VIDEO;
  parameters.codec_id = codec->id;
  parameters.width = coded.width;
  parameters.height = coded.height;
  SetExtradata(parameters, coded.header.data(), coded.header.size());
  stream->time_base = kClock;
  CheckLibav(avformat_write_header(format_, nullptr), "no transport stream");
}

TransportStream::~TransportStream() { Free(); }

void TransportStream::Free() {
  if (!format_) return;
  if (format_->pb) av_freep(&format_->pb->buffer);
  avio_context_free(&format_->pb);
  avformat_free_context(format_);
}

namespace {

const std::vector<const AVCodecContext*>& Carried(const std::vector<const AVCodecContext*>& tracks) {
  const AVCodecID codec = tracks.front()->codec_id;
  if (codec != AV_CODEC_ID_H264 && codec != AV_CODEC_ID_HEVC)
    FailInput("SRT's transport stream carries H.264 or HEVC, no {}; that goes over rtmp://", avcodec_get_name(codec));
  return tracks;
}

}  // namespace

LiveTransportStream::LiveTransportStream(const std::vector<const AVCodecContext*>& tracks)
    : muxer_({"mpegts", {}, false}, Carried(tracks),
             [this](std::int64_t, std::string_view bytes) { taken_.append(bytes); }) {}

std::string LiveTransportStream::Pack(int track, const AVPacket& packet) {
  // Whoever joins begins with a keyframe, and cannot read it before the tables that say what it is.
  if (track == 0 && (packet.flags & AV_PKT_FLAG_KEY) != 0) muxer_.Set("mpegts_flags", "+resend_headers");
  muxer_.Write(track, packet);
  muxer_.Flush();
  return std::exchange(taken_, {});
}

std::string TransportStream::Pack(std::string_view data, double decode_seconds, double show_seconds, bool keyframe) {
  const PacketPtr packet = NewPacket();
  CheckLibav(av_new_packet(packet.get(), static_cast<int>(data.size())), "out of memory");
  std::memcpy(packet->data, data.data(), data.size());
  packet->dts = std::llround(decode_seconds * kClock.den);
  packet->pts = std::llround(show_seconds * kClock.den);
  if (keyframe) packet->flags |= AV_PKT_FLAG_KEY;
  CheckLibav(av_write_frame(format_, packet.get()), "the transport stream's muxer refused a picture");
  av_write_frame(format_, nullptr);  // what the muxer holds back
  avio_flush(format_->pb);
  return std::exchange(taken_, {});
}

}  // namespace kettle
