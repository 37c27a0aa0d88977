// SPDX-License-Identifier: Apache-2.0
// What an FLV tag holds, which is what an RTMP message holds: H.264 and AAC by the FLV specification 10.1, annex E;
// HEVC and AV1 by "Enhancing RTMP, FLV" (version 1, 2023), which names a codec by four characters.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace kettle {

enum class FlvCodec { kH264, kHevc, kAv1 };
// By libavcodec's name; nothing for a codec that FLV does not carry.
std::optional<FlvCodec> FlvCodecOf(std::string_view codec);
const char* Name(FlvCodec codec);           // likewise
std::string FourCc(FlvCodec codec);         // "avc1", "hvc1", "av01"
double MetadataNumber(FlvCodec codec);      // videocodecid of onMetaData
inline constexpr double kAacMetadata = 10;  // audiocodecid

// `record`: an AVCDecoderConfigurationRecord, HEVCDecoderConfigurationRecord or AV1CodecConfigurationRecord.
std::string VideoHeaderBody(FlvCodec codec, std::string_view record);
// `sample`: NAL units with four bytes of length before each, or OBUs without temporal delimiters. `composition_ms`: how
// much later than its own time the picture is shown; AV1 has none.
std::string VideoBody(FlvCodec codec, bool keyframe, int composition_ms, std::string_view sample);
// How many bytes VideoBody adds to a sample.
std::size_t VideoBodyOverhead(FlvCodec codec, int composition_ms);
// `config`: an AudioSpecificConfig; a frame of AAC without ADTS.
std::string SoundHeaderBody(std::string_view config);
std::string SoundBody(std::string_view frame);

// A video message, read back.
struct VideoTag {
  FlvCodec codec = FlvCodec::kH264;
  bool keyframe = false, header = false, picture = false;  // neither header nor picture: the end, or metadata
};
// Nothing if it is none of these codecs, or is cut off.
std::optional<VideoTag> ReadVideoBody(std::string_view body);

}  // namespace kettle
