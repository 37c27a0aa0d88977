// SPDX-License-Identifier: Apache-2.0
// A stream to be sent while a line is measured: a real encode, repeated, made as heavy as is wanted.
#pragma once

#include <string>

#include "kettle/coded/packets.h"
#include "kettle/line/line_model.h"
#include "kettle/media/libav.h"
#include "kettle/rtmp/chunks.h"
#include "kettle/rtmp/flv_body.h"

namespace kettle {

// An encode's frames as the line sees them: at even times of `fps`, in coding order.
CodedStream StreamOf(const CodedPictures& coded, double fps);

class TestStream {
 public:
  // Throws Error(kInput) unless the pictures are H.264, HEVC or AV1 with the header that containers have of it.
  TestStream(CodedPictures coded, double fps);

  // What goes before the first picture.
  RtmpMessage Metadata() const;
  RtmpMessage Header() const;

  // The picture with that number, from 0 on without end. If it is smaller than `bytes` it is filled up with what
  // decoders pass over (AppendFiller).
  RtmpMessage Picture(std::int64_t number, std::size_t bytes) const;
  // The same as the container had it: no RTMP around it, at its times.
  CodedPicture Filled(std::int64_t number, std::size_t bytes) const;
  const CodedPictures& coded() const { return coded_; }
  double SecondsOf(std::int64_t number) const { return static_cast<double>(number) / fps_; }
  bool IsKeyframe(std::int64_t number) const;

 private:
  const CodedPicture& At(std::int64_t number) const;
  CodedPictures coded_;
  double fps_;
  FlvCodec codec_ = FlvCodec::kH264;
  AVCodecID codec_id_ = AV_CODEC_ID_NONE;
};

}  // namespace kettle
