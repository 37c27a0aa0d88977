// SPDX-License-Identifier: Apache-2.0
#include "kettle/uplink/test_stream.h"

#include <algorithm>
#include <cmath>

#include "kettle/rtmp/amf.h"
#include "kettle/rtmp/bytes.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr std::uint8_t kAvc = 7;              // FLV codec number
constexpr std::uint8_t kFillerNal = 12;       // ITU-T H.264 table 7-1
constexpr std::uint8_t kKey = 1, kInter = 2;  // FLV frame types

constexpr std::size_t kTagBytes = 5;

std::string TagStart(bool keyframe, int kind, int composition_ms) {
  std::string out(1, static_cast<char>((keyframe ? kKey : kInter) << 4 | kAvc));
  out += static_cast<char>(kind);
  PutBig(out, static_cast<std::uint32_t>(composition_ms) & 0xFFFFFF, 3);
  return out;
}

}  // namespace

CodedStream StreamOf(const CodedPictures& coded, double fps) {
  CodedStream stream;
  for (const CodedPicture& picture : coded.pictures)
    stream.frames.push_back(
        {static_cast<double>(stream.frames.size()) / fps, static_cast<int>(picture.data.size()), picture.keyframe});
  stream.seconds = static_cast<double>(stream.frames.size()) / fps;
  return stream;
}

TestStream::TestStream(CodedPictures coded, double fps) : coded_(std::move(coded)), fps_(fps) {
  if (coded_.codec != "h264" || coded_.header.size() < 7 || coded_.header[0] != 1)
    FailInput("the test stream must be H.264 from a container with its header");
}

RtmpMessage TestStream::Metadata() const {
  const AmfObject about{{"width", static_cast<double>(coded_.width)},
                        {"height", static_cast<double>(coded_.height)},
                        {"framerate", fps_},
                        {"videocodecid", static_cast<double>(kAvc)},
                        {"encoder", "fast-kettle"}};
  return {RtmpType::kData, 0, 0, WriteAmf({"@setDataFrame", "onMetaData", about})};
}

RtmpMessage TestStream::Header() const { return {RtmpType::kVideo, 0, 0, TagStart(true, 0, 0) + coded_.header}; }

const CodedPicture& TestStream::At(std::int64_t number) const {
  return coded_.pictures[static_cast<std::size_t>(number) % coded_.pictures.size()];
}

bool TestStream::IsKeyframe(std::int64_t number) const { return At(number).keyframe; }

CodedPicture TestStream::Filled(std::int64_t number, std::size_t bytes) const {
  CodedPicture picture = At(number);
  const double later = std::max(0.0, picture.show_seconds - picture.decode_seconds);
  picture.decode_seconds = SecondsOf(number);
  picture.show_seconds = picture.decode_seconds + later;
  constexpr std::size_t kLeastFiller = 8;
  if (bytes >= picture.data.size() + kLeastFiller) {
    const std::size_t filler = bytes - picture.data.size() - 4;
    PutBig(picture.data, filler, 4);
    picture.data += static_cast<char>(kFillerNal);
    picture.data.append(filler - 2, static_cast<char>(0xFF));
    picture.data += static_cast<char>(0x80);  // the stop bit
  }
  return picture;
}

RtmpMessage TestStream::Picture(std::int64_t number, std::size_t bytes) const {
  const CodedPicture picture = Filled(number, bytes > kTagBytes ? bytes - kTagBytes : 0);
  const auto later = static_cast<int>(std::lround((picture.show_seconds - picture.decode_seconds) * 1000));
  return {RtmpType::kVideo, static_cast<std::uint32_t>(std::llround(picture.decode_seconds * 1000)), 0,
          TagStart(picture.keyframe, 1, later) + picture.data};
}

}  // namespace kettle
