// SPDX-License-Identifier: Apache-2.0
#include "kettle/media/writer.h"

#include "kettle/units/error.h"

namespace kettle {

MediaWriter::MediaWriter(const std::filesystem::path& path, const AVCodecContext& encoder)
    : time_base_(encoder.time_base), path_(path) {
  const std::string name = path.string(), what = "cannot write " + name;
  CheckLibav(avformat_alloc_output_context2(&format_, nullptr, nullptr, name.c_str()), what);
  try {
    AVStream* stream = avformat_new_stream(format_, nullptr);
    if (!stream) FailMachine("out of memory");
    CheckLibav(avcodec_parameters_from_context(stream->codecpar, &encoder), what);
    stream->time_base = encoder.time_base;
    stream->avg_frame_rate = encoder.framerate;
    CheckLibav(avio_open(&format_->pb, name.c_str(), AVIO_FLAG_WRITE), what);
    CheckLibav(avformat_write_header(format_, nullptr), what);
  } catch (...) {
    avio_closep(&format_->pb);
    avformat_free_context(format_);
    throw;
  }
}

MediaWriter::~MediaWriter() {
  avio_closep(&format_->pb);
  avformat_free_context(format_);
}

void MediaWriter::Write(const AVPacket& packet) {
  PacketPtr copy(av_packet_clone(&packet));
  if (!copy) FailMachine("out of memory");
  copy->stream_index = 0;
  copy->duration = 1;
  av_packet_rescale_ts(copy.get(), time_base_, format_->streams[0]->time_base);
  CheckLibav(av_interleaved_write_frame(format_, copy.get()), "cannot write " + path_.string());
}

void MediaWriter::Finish() {
  CheckLibav(av_write_trailer(format_), "cannot write " + path_.string());
  avio_flush(format_->pb);
  CheckLibav(format_->pb->error, "cannot write " + path_.string());
}

}  // namespace kettle
