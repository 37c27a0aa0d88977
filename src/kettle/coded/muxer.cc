// SPDX-License-Identifier: Apache-2.0
#include "kettle/coded/muxer.h"

#include <algorithm>
#include <cmath>

#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr int kFileBufferBytes = 64 << 10;

// How far before zero an encoder's first timestamp lies: pictures to be reordered, sound's priming.
double LeadSeconds(const AVCodecContext& encoder) {
  if (encoder.codec_type == AVMEDIA_TYPE_AUDIO)
    return static_cast<double>(encoder.initial_padding) / std::max(1, encoder.sample_rate);
  return std::max(encoder.has_b_frames, encoder.max_b_frames > 0 ? 2 : 0) * av_q2d(encoder.time_base);
}

}  // namespace

Muxer::Muxer(const Container& container, const std::vector<const AVCodecContext*>& tracks, Put put)
    : put_(std::move(put)) {
  CheckLibav(avformat_alloc_output_context2(&format_, nullptr, container.format.c_str(), nullptr),
             "no container " + container.format);
  try {
    format_->pb = avio_alloc_context(static_cast<unsigned char*>(av_malloc(kFileBufferBytes)), kFileBufferBytes, 1,
                                     this, nullptr, WriteBytes, container.seekable ? Seek : nullptr);
    if (!format_->pb) FailMachine("out of memory");
    format_->flags |= AVFMT_FLAG_FLUSH_PACKETS;
    for (const AVCodecContext* track : tracks) {
      AVStream* stream = avformat_new_stream(format_, nullptr);
      if (!stream) FailMachine("out of memory");
      CheckLibav(avcodec_parameters_from_context(stream->codecpar, track), "no container " + container.format);
      stream->time_base = track->time_base;
      stream->avg_frame_rate = track->framerate;
      time_bases_.push_back(track->time_base);
      if (const double lead = LeadSeconds(*track); lead > shift_seconds_) {
        shift_seconds_ = lead;
        earliest_track_ = stream->index;
      }
    }
    AVDictionary* options = nullptr;
    for (const auto& [key, value] : container.options) av_dict_set(&options, key.c_str(), value.c_str(), 0);
    const int code = avformat_write_header(format_, &options);
    av_dict_free(&options);
    Check(code);
  } catch (...) {
    if (format_->pb) av_freep(&format_->pb->buffer);
    avio_context_free(&format_->pb);
    avformat_free_context(format_);
    throw;
  }
}

Muxer::~Muxer() {
  av_freep(&format_->pb->buffer);
  avio_context_free(&format_->pb);
  avformat_free_context(format_);
}

int Muxer::WriteBytes(void* self, WrittenByte* bytes, int count) {
  auto& muxer = *static_cast<Muxer*>(self);
  if (muxer.error_) return AVERROR(EIO);
  try {
    muxer.put_(muxer.position_, {reinterpret_cast<const char*>(bytes), static_cast<std::size_t>(count)});
  } catch (...) {  // not through the library
    muxer.error_ = std::current_exception();
    return AVERROR(EIO);
  }
  muxer.position_ += count;
  muxer.size_ = std::max(muxer.size_, muxer.position_);
  return count;
}

std::int64_t Muxer::Seek(void* self, std::int64_t offset, int whence) {
  auto& muxer = *static_cast<Muxer*>(self);
  if (whence == AVSEEK_SIZE) return muxer.size_;
  if (whence == SEEK_CUR) offset += muxer.position_;
  if (whence == SEEK_END) offset += muxer.size_;
  return muxer.position_ = offset;
}

void Muxer::Check(int code) {
  if (error_) std::rethrow_exception(error_);
  if (code >= 0) return;
  // The cause is in what the library has logged, if someone collects that.
  std::string words = LibavError(code);
  for (const std::string& line : LibavLog::All()) words += "; " + line;
  FailMachine("writing to the container failed: {}", words);
}

void Muxer::Write(int track, const AVPacket& packet) {
  const PacketPtr copy(av_packet_clone(&packet));
  if (!copy) FailMachine("out of memory");
  copy->stream_index = track;
  const AVStream& stream = *format_->streams[track];
  if (copy->duration == 0 && stream.codecpar->codec_type == AVMEDIA_TYPE_VIDEO) copy->duration = 1;
  av_packet_rescale_ts(copy.get(), time_bases_[static_cast<std::size_t>(track)], stream.time_base);
  const auto shift = static_cast<std::int64_t>(std::ceil(shift_seconds_ / av_q2d(stream.time_base)));
  if (copy->pts != AV_NOPTS_VALUE) copy->pts += shift;
  if (copy->dts != AV_NOPTS_VALUE) copy->dts += shift;
  Check(av_write_frame(format_, copy.get()));
}

void Muxer::Set(const char* option, const char* value) { av_opt_set(format_->priv_data, option, value, 0); }

void Muxer::Flush() {
  Check(av_write_frame(format_, nullptr));
  avio_flush(format_->pb);
}

void Muxer::Finish() {
  const int code = av_write_trailer(format_);
  avio_flush(format_->pb);
  Check(code);
}

}  // namespace kettle
