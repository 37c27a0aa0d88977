// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/flv_body.h"

#include <array>
#include <cstdint>

#include "kettle/rtmp/bytes.h"

namespace kettle {

namespace {

constexpr std::uint8_t kAvc = 7;              // FLV 10.1, E.4.3.1
constexpr std::uint8_t kKey = 1, kInter = 2;  // frame types
constexpr std::uint8_t kFourCcFollows =
    0x80;                                  // a packet type and four characters follow in place of the codec's number
constexpr std::uint8_t kAacStereo = 0xAF;  // E.4.2.1: AAC; the rest is what AAC always says there

enum PacketType : std::uint8_t { kSequenceStart = 0, kCodedFrames = 1, kSequenceEnd = 2, kCodedFramesX = 3 };

constexpr std::array kCodecs = {FlvCodec::kH264, FlvCodec::kHevc, FlvCodec::kAv1};

bool HasComposition(FlvCodec codec, int composition_ms) {
  return codec == FlvCodec::kH264 || (codec == FlvCodec::kHevc && composition_ms != 0);
}

std::string Start(FlvCodec codec, bool keyframe, PacketType kind) {
  const int frame = (keyframe ? kKey : kInter) << 4;
  if (codec == FlvCodec::kH264) return {static_cast<char>(frame | kAvc), static_cast<char>(kind)};
  return std::string(1, static_cast<char>(kFourCcFollows | frame | kind)) + FourCc(codec);
}

}  // namespace

std::optional<FlvCodec> FlvCodecOf(std::string_view codec) {
  for (const FlvCodec known : kCodecs)
    if (codec == Name(known)) return known;
  return std::nullopt;
}

const char* Name(FlvCodec codec) {
  switch (codec) {
    case FlvCodec::kH264: return "h264";
    case FlvCodec::kHevc: return "hevc";
    case FlvCodec::kAv1: return "av1";
  }
  return "";
}

std::string FourCc(FlvCodec codec) {
  switch (codec) {
    case FlvCodec::kH264: return "avc1";
    case FlvCodec::kHevc: return "hvc1";
    case FlvCodec::kAv1: return "av01";
  }
  return "";
}

double MetadataNumber(FlvCodec codec) {
  return codec == FlvCodec::kH264 ? kAvc : static_cast<double>(GetBig(FourCc(codec), 0, 4));
}

std::string VideoHeaderBody(FlvCodec codec, std::string_view record) {
  std::string body = Start(codec, true, kSequenceStart);
  if (codec == FlvCodec::kH264) PutBig(body, 0, 3);
  return body.append(record);
}

std::string VideoBody(FlvCodec codec, bool keyframe, int composition_ms, std::string_view sample) {
  const bool composition = HasComposition(codec, composition_ms);
  std::string body = Start(codec, keyframe, codec == FlvCodec::kHevc && !composition ? kCodedFramesX : kCodedFrames);
  if (composition) PutBig(body, static_cast<std::uint32_t>(composition_ms) & 0xFFFFFF, 3);
  return body.append(sample);
}

std::size_t VideoBodyOverhead(FlvCodec codec, int composition_ms) {
  return VideoBody(codec, false, composition_ms, {}).size();
}

std::string SoundHeaderBody(std::string_view config) {
  return std::string{static_cast<char>(kAacStereo), 0}.append(config);
}

std::string SoundBody(std::string_view frame) { return std::string{static_cast<char>(kAacStereo), 1}.append(frame); }

std::optional<VideoTag> ReadVideoBody(std::string_view body) {
  if (body.size() < 2) return std::nullopt;
  const auto first = static_cast<std::uint8_t>(body[0]);
  VideoTag tag;
  tag.keyframe = (first >> 4 & 7) == kKey;
  if ((first & kFourCcFollows) == 0) {
    if ((first & 15) != kAvc) return std::nullopt;
    tag.header = body[1] == kSequenceStart;
    tag.picture = body[1] == kCodedFrames;
    return tag;
  }
  if (body.size() < 5) return std::nullopt;
  const int kind = first & 15;
  tag.header = kind == kSequenceStart;
  tag.picture = kind == kCodedFrames || kind == kCodedFramesX;
  for (const FlvCodec codec : kCodecs)
    if (body.substr(1, 4) == FourCc(codec)) {
      tag.codec = codec;
      return tag;
    }
  return std::nullopt;
}

}  // namespace kettle
