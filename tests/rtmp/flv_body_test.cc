// SPDX-License-Identifier: Apache-2.0
// Messages of pictures and sound, byte for byte as the specifications have them.
#include "kettle/rtmp/flv_body.h"

#include "support.h"

namespace kettle {
namespace {

using std::string_literals::operator""s;

TEST(FlvBody, H264IsAsTheFlvSpecificationHasIt) {
  EXPECT_EQ(VideoHeaderBody(FlvCodec::kH264, "record"), "\x17\0\0\0\0record"s);
  EXPECT_EQ(VideoBody(FlvCodec::kH264, true, 0, "sample"), "\x17\x01\0\0\0sample"s);
  EXPECT_EQ(VideoBody(FlvCodec::kH264, false, 0x123, "sample"), "\x27\x01\0\x01\x23sample"s);
  EXPECT_EQ(MetadataNumber(FlvCodec::kH264), 7);
}

TEST(FlvBody, HevcAndAv1AreNamedByFourCharacters) {
  EXPECT_EQ(VideoHeaderBody(FlvCodec::kHevc, "record"), "\x90hvc1record"s);
  EXPECT_EQ(VideoBody(FlvCodec::kHevc, true, 33, "sample"), "\x91hvc1\0\0\x21sample"s);
  EXPECT_EQ(VideoBody(FlvCodec::kHevc, false, 0, "sample"), "\xA3hvc1sample"s) << "shown at once: no time is told";
  EXPECT_EQ(VideoHeaderBody(FlvCodec::kAv1, "record"),
            "\x90"
            "av01record"s);
  EXPECT_EQ(VideoBody(FlvCodec::kAv1, false, 0, "sample"),
            "\xA1"
            "av01sample"s);
  EXPECT_EQ(MetadataNumber(FlvCodec::kHevc), 1752589105) << "its four characters as a number";
}

TEST(FlvBody, SoundIsAac) {
  EXPECT_EQ(SoundHeaderBody("config"), "\xAF\0config"s);
  EXPECT_EQ(SoundBody("frame"),
            "\xAF\x01"
            "frame"s);
}

TEST(FlvBody, WhatIsWrittenIsReadBack) {
  for (const FlvCodec codec : {FlvCodec::kH264, FlvCodec::kHevc, FlvCodec::kAv1}) {
    EXPECT_EQ(FlvCodecOf(Name(codec)), codec);
    for (const int later : {0, 40}) {
      const std::string body = VideoBody(codec, true, later, "x");
      EXPECT_EQ(body.size(), VideoBodyOverhead(codec, later) + 1);
      const auto tag = ReadVideoBody(body);
      ASSERT_TRUE(tag);
      EXPECT_EQ(tag->codec, codec);
      EXPECT_TRUE(tag->keyframe && tag->picture && !tag->header) << Name(codec);
    }
    EXPECT_FALSE(ReadVideoBody(VideoBody(codec, false, 0, "x"))->keyframe);
    const auto header = ReadVideoBody(VideoHeaderBody(codec, "x"));
    EXPECT_TRUE(header->header && !header->picture) << Name(codec);
  }
  EXPECT_FALSE(FlvCodecOf("vp9"));
}

TEST(FlvBody, WhatIsCutOffOrOfAnotherCodecIsNone) {
  for (const std::string& body : {""s, "\x17"s, "\x90hvc"s, "\x91xyz1sample"s, "\x22\x01sample"s})
    EXPECT_FALSE(ReadVideoBody(body)) << body.size();
  const auto end = ReadVideoBody("\x92hvc1"s);
  ASSERT_TRUE(end);
  EXPECT_FALSE(end->header || end->picture) << "the end of a sequence is no picture";
}

}  // namespace
}  // namespace kettle
