// SPDX-License-Identifier: Apache-2.0
// A stream to be sent while a line is measured: a real H.264 encode, repeated, made as heavy as is wanted.
#pragma once

#include <string>

#include "kettle/line/line_model.h"
#include "kettle/media/packets.h"
#include "kettle/rtmp/chunks.h"

namespace kettle {

// An encode's frames as the line sees them: at even times of `fps`, in coding order.
CodedStream StreamOf(const CodedPictures& coded, double fps);

class TestStream {
 public:
  // Throws Error(kInput) unless the pictures are H.264 with an AVCDecoderConfigurationRecord.
  TestStream(CodedPictures coded, double fps);

  // What goes before the first picture (FLV specification 10.1, E.4.3 and E.5).
  RtmpMessage Metadata() const;
  RtmpMessage Header() const;

  // The picture with that number, from 0 on without end. If it is smaller than `bytes` it is filled up with filler data
  // (ITU-T H.264 7.3.2.7), which decoders pass over.
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
};

}  // namespace kettle
