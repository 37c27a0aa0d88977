// SPDX-License-Identifier: Apache-2.0
#include "kettle/media/reader.h"

#include <algorithm>

#include "kettle/input/input.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

double Seconds(std::int64_t timestamp, AVRational base) { return static_cast<double>(timestamp) * av_q2d(base); }

}  // namespace

MediaReader::MediaReader(const std::filesystem::path& path) : path_(path) {
  const std::string name = path.string();
  CheckIsFile(path);
  std::error_code error;
  if (std::filesystem::file_size(path, error) == 0) FailInput("{}: the file is empty", name);
  LibavLog log;  // the libraries' warnings about a stranger's file are not for the user
  AVDictionary* options = nullptr;
  av_dict_set(&options, "protocol_whitelist", "file", 0);  // a playlist may name addresses
  int result = avformat_open_input(&format_, ("file:" + name).c_str(), nullptr, &options);
  av_dict_free(&options);
  if (result < 0)
    FailInput("{}: not a clip that can be read ({}); it may be cut off or not be media at all", name,
              LibavError(result));
  result = avformat_find_stream_info(format_, nullptr);
  const AVCodec* codec = nullptr;
  stream_ = av_find_best_stream(format_, AVMEDIA_TYPE_VIDEO, -1, -1, &codec, 0);
  const bool cover = stream_ >= 0 && (format_->streams[stream_]->disposition & AV_DISPOSITION_ATTACHED_PIC) != 0;
  const bool sound = av_find_best_stream(format_, AVMEDIA_TYPE_AUDIO, -1, -1, nullptr, 0) >= 0;
  std::string trouble;
  if (result < 0)
    trouble = "its streams cannot be read: " + LibavError(result);
  else if (stream_ == AVERROR_DECODER_NOT_FOUND)
    trouble = "no decoder for its pictures is installed";
  else if (stream_ < 0 || cover)
    trouble = sound ? "it has only sound, no picture" : "it has no picture";
  if (trouble.empty()) {
    decoder_.reset(avcodec_alloc_context3(codec));
    avcodec_parameters_to_context(decoder_.get(), format_->streams[stream_]->codecpar);
    decoder_->thread_count = 0;
    decoder_->pkt_timebase = format_->streams[stream_]->time_base;
    result = avcodec_open2(decoder_.get(), codec, nullptr);
    if (result < 0)
      trouble = "its decoder does not open: " + LibavError(result);
    else if (decoder_->width <= 0 || decoder_->height <= 0)
      trouble = "its pictures have no size";
  }
  if (!trouble.empty()) {
    avformat_close_input(&format_);
    FailInput("{}: {}", name, trouble);
  }
}

MediaReader::~MediaReader() { avformat_close_input(&format_); }

double MediaReader::start_seconds() const {
  const AVStream& stream = *format_->streams[stream_];
  if (stream.start_time != AV_NOPTS_VALUE) return Seconds(stream.start_time, stream.time_base);
  return 0;
}

double MediaReader::frame_seconds() const {
  const FrameRate own = rate();
  return own.numerator > 0 ? 1 / own.fps() : 0;
}

FrameSize MediaReader::size() const { return {decoder_->width, decoder_->height}; }

FrameRate MediaReader::rate() const {
  const AVRational rate = av_guess_frame_rate(format_, format_->streams[stream_], nullptr);
  return FrameRate::FromFraction(rate.num, rate.den);
}

StreamFacts MediaReader::facts() const {
  StreamFacts facts;
  facts.container = format_->iformat->name;
  facts.codec = avcodec_get_name(decoder_->codec_id);
  if (const AVPixFmtDescriptor* format = av_pix_fmt_desc_get(decoder_->pix_fmt)) {
    facts.bit_depth = format->comp[0].depth;
    if (!(format->flags & AV_PIX_FMT_FLAG_RGB) && format->nb_components >= 3)
      facts.chroma = format->log2_chroma_w == 0 ? "4:4:4" : format->log2_chroma_h == 0 ? "4:2:2" : "4:2:0";
  }
  if (decoder_->color_trc == AVCOL_TRC_SMPTE2084) facts.hdr = "PQ";
  if (decoder_->color_trc == AVCOL_TRC_ARIB_STD_B67) facts.hdr = "HLG";
  const AVFieldOrder order = format_->streams[stream_]->codecpar->field_order;
  facts.interlaced = order != AV_FIELD_UNKNOWN && order != AV_FIELD_PROGRESSIVE;
  return facts;
}

std::optional<double> MediaReader::declared_seconds() const {
  // A length guessed from the file's size and bit rate declares nothing.
  if (format_->duration == AV_NOPTS_VALUE || format_->duration_estimation_method == AVFMT_DURATION_FROM_BITRATE)
    return std::nullopt;
  return static_cast<double>(format_->duration) / AV_TIME_BASE;
}

std::optional<MediaReader::Picture> MediaReader::Decoded() {
  FramePtr frame = NewFrame();
  if (avcodec_receive_frame(decoder_.get(), frame.get()) < 0) return std::nullopt;
  const std::int64_t pts = frame->best_effort_timestamp;
  const double seconds = pts == AV_NOPTS_VALUE ? static_cast<double>(decoded_) * frame_seconds()
                                               : Seconds(pts, format_->streams[stream_]->time_base) - start_seconds();
  ++decoded_;
  return Picture{std::move(frame), seconds};
}

std::optional<MediaReader::Picture> MediaReader::Next() {
  LibavLog log;
  PacketPtr packet = NewPacket();
  while (true) {
    if (auto picture = Decoded()) return picture;
    if (draining_) return std::nullopt;
    if (av_read_frame(format_, packet.get()) < 0) {
      draining_ = true;
      avcodec_send_packet(decoder_.get(), nullptr);
      continue;
    }
    if (packet->stream_index == stream_) {
      decoder_->skip_frame = IsOnTheWay(*packet) ? AVDISCARD_NONREF : AVDISCARD_DEFAULT;
      avcodec_send_packet(decoder_.get(), packet.get());
    }
    av_packet_unref(packet.get());
  }
}

bool MediaReader::IsOnTheWay(const AVPacket& packet) const {
  constexpr double kBeforeSeconds = 0.25;  // so far from there the picture shown by then comes out too
  return packet.pts != AV_NOPTS_VALUE && Seconds(packet.pts, format_->streams[stream_]->time_base) - start_seconds() <
                                             all_from_seconds_ - kBeforeSeconds;
}

std::vector<MediaReader::PacketTime> MediaReader::ReadPackets(const std::function<void(double)>& progress) {
  constexpr int kEach = 256;  // packets
  LibavLog log;
  std::vector<PacketTime> packets;
  PacketPtr packet = NewPacket();
  const double container_start =
      format_->start_time == AV_NOPTS_VALUE ? 0 : static_cast<double>(format_->start_time) / AV_TIME_BASE;
  const std::int64_t bytes = format_->pb ? avio_size(format_->pb) : 0;
  for (int count = 0; av_read_frame(format_, packet.get()) >= 0; ++count) {
    if (progress && bytes > 0 && count % kEach == 0)
      progress(std::min(1.0, static_cast<double>(avio_tell(format_->pb)) / static_cast<double>(bytes)));
    const bool picture = packet->stream_index == stream_;
    const AVRational base = format_->streams[packet->stream_index]->time_base;
    const std::int64_t pts = packet->pts != AV_NOPTS_VALUE ? packet->pts : packet->dts;
    double seconds = static_cast<double>(packets.size()) * frame_seconds();
    if (pts != AV_NOPTS_VALUE) {
      const std::int64_t end = pts + std::max<std::int64_t>(0, packet->duration);
      reached_seconds_ = std::max(reached_seconds_, Seconds(end, base) - container_start);
      seconds = Seconds(pts, base) - start_seconds();
    }
    if (picture) packets.push_back({seconds, packet->size});
    av_packet_unref(packet.get());
  }
  return packets;
}

bool MediaReader::Seek(double seconds) {
  const AVRational base = format_->streams[stream_]->time_base;
  const auto target = static_cast<std::int64_t>((seconds + start_seconds()) / av_q2d(base));
  LibavLog log;
  const bool found = av_seek_frame(format_, stream_, target, AVSEEK_FLAG_BACKWARD) >= 0;
  if (!found) av_seek_frame(format_, stream_, 0, AVSEEK_FLAG_BACKWARD | AVSEEK_FLAG_BYTE);
  avcodec_flush_buffers(decoder_.get());
  draining_ = false;
  decoded_ = 0;
  all_from_seconds_ = found ? seconds : 0;
  return found;
}

}  // namespace kettle
