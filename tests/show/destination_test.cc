// SPDX-License-Identifier: Apache-2.0
#include "kettle/show/destination.h"

#include "kettle/encoders/catalogue.h"
#include "kettle/option/with_encoder.h"
#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using testing::HasSubstr;

class DestinationTest : public test::FolderTest {
 protected:
  Destination Read(const std::string& text) { return ReadDestination(Put("place.toml", text)); }
  std::string Refused(const std::string& text) {
    return Complaint(Fault::kInput, [&] { Read(text); });
  }
};

TEST_F(DestinationTest, OnlyItsNameIsNeeded) {
  const Destination plain = Read("name = \"Plain\"\n");
  EXPECT_EQ(plain.name, "Plain");
  EXPECT_EQ(plain.keyframe_seconds, 2);
  EXPECT_TRUE(plain.transcodes);
  EXPECT_TRUE(plain.ingests.empty());
  const Recipient recipient = TakerOf(plain);
  EXPECT_FALSE(recipient.video_max || recipient.audience_max);
  EXPECT_EQ(recipient.audio, BitRate::FromKbps(160));
}

TEST_F(DestinationTest, EverythingThatItMayLimit) {
  const Destination place = Read(R"(name = "Pier"
video_bit_rate_max = "6 Mbit/s"
audio_bit_rate_max = "128 kbit/s"
size_max = "1920x1080"
sizes = ["1280x720", "852x480"]
frame_rate_max = "60"
frame_rates = ["30", "60"]
keyframe_seconds = 4
b_frames_max = 2
codecs = ["h264", "hevc"]
transcodes = false
audience_bit_rate = "4 Mbit/s"
[[ingest]]
name = "near"
address = "rtmp://127.0.0.1:19350/live"
[[ingest]]
address = "rtmps://pier.example/live"
)");
  EXPECT_EQ(place.sizes, (std::vector<FrameSize>{{1280, 720}, {852, 480}}));
  EXPECT_EQ(place.frame_rates, (std::vector<FrameRate>{{30, 1}, {60, 1}}));
  EXPECT_EQ(place.b_frames_max, 2);
  ASSERT_EQ(place.ingests.size(), 2u);
  EXPECT_EQ(place.ingests[0].name, "near");
  EXPECT_EQ(place.ingests[1].name, "rtmps://pier.example/live") << "without a name its address stands for it";
  const Recipient recipient = TakerOf(place);
  EXPECT_EQ(recipient.video_max, BitRate::FromKbps(6000));
  EXPECT_EQ(recipient.audience_max, BitRate::FromKbps(4000));
  EXPECT_EQ(recipient.audio, BitRate::FromKbps(128));
}

TEST_F(DestinationTest, WhereNothingIsTranscodedTheAudienceIsThoughtOf) {
  const Recipient recipient = TakerOf(Read("name = \"Pier\"\ntranscodes = false\n"));
  EXPECT_EQ(recipient.audience_max, BitRate::FromKbps(5000));
}

TEST_F(DestinationTest, WhatIsWrongIsToldWithItsLine) {
  EXPECT_THAT(Refused("video_bit_rate_max = \"6 Mbit/s\"\n"), HasSubstr("name: is missing"));
  EXPECT_THAT(Refused("name = \"P\"\nvideo_bit_rate_max = \"6000\"\n"), HasSubstr("place.toml:2: video_bit_rate_max"));
  EXPECT_THAT(Refused("name = \"P\"\nsizes = [\"1280x720\", \"wide\"]\n"), HasSubstr(":2: sizes"));
  EXPECT_THAT(Refused("name = \"P\"\nframe_rates = \"30\"\n"), HasSubstr("must be a list"));
  EXPECT_THAT(Refused("name = \"P\"\nb_frames_max = -1\n"), HasSubstr("from 0 to 16"));
  EXPECT_THAT(Refused("name = \"P\"\ntranscodes = 1\n"), HasSubstr("true or false"));
  EXPECT_THAT(Refused("name = \"P\"\naudience_bit_rate = \"4 Mbit/s\"\n"), HasSubstr("only with transcodes = false"));
  EXPECT_THAT(Refused("name = \"P\"\n[[ingest]]\nname = \"near\"\n"), HasSubstr("address: is missing"));
  EXPECT_THAT(Refused("name = \"P\"\n[[ingest]]\naddress = \"http://pier.example\"\n"), HasSubstr("rtmp://"));
  EXPECT_THAT(Refused("name = \"P\"\ntranscode = false\n"), HasSubstr("transcodes"));
  EXPECT_THAT(Refused("name = \"P\"\ncodecs = [\"h265\"]\n"), HasSubstr("\"h264\", \"hevc\" or \"av1\""));
  EXPECT_THAT(Refused("name = \"P\"\ncodecs = [\"av1\"]\n[[ingest]]\naddress = \"srt://pier.example:9000\"\n"),
              HasSubstr("carries H.264 or HEVC, no AV1"));
}

TEST_F(DestinationTest, TheShippedOnesAreRight) {
  const std::filesystem::path shipped = KETTLE_SOURCE "/demo/destinations";
  EXPECT_EQ(FindDestination("quayside", path(""), shipped).b_frames_max, 2);
  EXPECT_FALSE(FindDestination("lantern", path(""), shipped).transcodes);
  Put("destinations/quayside.toml", "name = \"Mine\"\n");
  EXPECT_EQ(FindDestination("quayside", path(""), shipped).name, "Mine") << "one's own goes first";
}

TEST(WithEncoder, AGpuIsNotAskedForBFramesItMayNotMake) {
  EncodeSettings target = test::SmallSettings();
  target.b_frames = 2;
  EXPECT_EQ(WithEncoder(target, "x264", "fast").b_frames, 2);
  EXPECT_EQ(WithEncoder(target, "nvenc-h264", "p4").b_frames, std::nullopt);
  target.b_frames = 0;
  EXPECT_EQ(WithEncoder(target, "nvenc-h264", "p4").b_frames, 0) << "none can always be asked for";
}

}  // namespace
}  // namespace kettle
