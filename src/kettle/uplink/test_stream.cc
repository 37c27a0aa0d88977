// SPDX-License-Identifier: Apache-2.0
#include "kettle/uplink/test_stream.h"

#include <algorithm>
#include <cmath>

#include "kettle/coded/samples.h"
#include "kettle/rtmp/amf.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

// The first byte of the codec's header as containers have it: the record's version, for AV1 with its marker bit.
char RecordStart(FlvCodec codec) { return codec == FlvCodec::kAv1 ? static_cast<char>(0x81) : 1; }

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
  const auto codec = FlvCodecOf(coded_.codec);
  if (!codec || coded_.header.size() < 4 || coded_.header[0] != RecordStart(*codec))
    FailInput("the test stream must be H.264, HEVC or AV1 from a container with its header");
  codec_ = *codec;
  codec_id_ = avcodec_descriptor_get_by_name(coded_.codec.c_str())->id;
}

RtmpMessage TestStream::Metadata() const {
  const AmfObject about{{"width", static_cast<double>(coded_.width)},
                        {"height", static_cast<double>(coded_.height)},
                        {"framerate", fps_},
                        {"videocodecid", MetadataNumber(codec_)},
                        {"encoder", "fast-kettle"}};
  return {RtmpType::kData, 0, 0, WriteAmf({"@setDataFrame", "onMetaData", about})};
}

RtmpMessage TestStream::Header() const { return {RtmpType::kVideo, 0, 0, VideoHeaderBody(codec_, coded_.header)}; }

const CodedPicture& TestStream::At(std::int64_t number) const {
  return coded_.pictures[static_cast<std::size_t>(number) % coded_.pictures.size()];
}

bool TestStream::IsKeyframe(std::int64_t number) const { return At(number).keyframe; }

CodedPicture TestStream::Filled(std::int64_t number, std::size_t bytes) const {
  CodedPicture picture = At(number);
  const double later = std::max(0.0, picture.show_seconds - picture.decode_seconds);
  picture.decode_seconds = SecondsOf(number);
  picture.show_seconds = picture.decode_seconds + later;
  if (bytes > picture.data.size()) AppendFiller(codec_id_, bytes - picture.data.size(), picture.data);
  return picture;
}

RtmpMessage TestStream::Picture(std::int64_t number, std::size_t bytes) const {
  const CodedPicture& bare = At(number);
  const auto later = static_cast<int>(std::lround(std::max(0.0, bare.show_seconds - bare.decode_seconds) * 1000));
  const std::size_t overhead = VideoBodyOverhead(codec_, later);
  const CodedPicture picture = Filled(number, bytes > overhead ? bytes - overhead : 0);
  return {RtmpType::kVideo, static_cast<std::uint32_t>(std::llround(picture.decode_seconds * 1000)), 0,
          VideoBody(codec_, picture.keyframe, later, picture.data)};
}

}  // namespace kettle
