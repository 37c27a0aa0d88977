// SPDX-License-Identifier: Apache-2.0
// Containers in memory: what is put where, and what becomes of trouble.
#include "kettle/coded/muxer.h"

#include "kettle/coded/packets.h"
#include "kettle/coded/transport_stream.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/media/encoder.h"
#include "kettle/media/reader.h"
#include "kettle/media/writer.h"
#include "support.h"

namespace kettle {
namespace {

class MuxerTest : public test::FolderTest {
 protected:
  // Half a second of packets, B-frames among them.
  std::vector<PacketPtr> Encode(Encoder& encoder) {
    const Y4mFile source(test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 12));
    std::vector<PacketPtr> packets;
    for (int i = 0; i <= source.frames(); ++i) {
      const FramePtr picture = i < source.frames() ? source.Frame(i) : nullptr;
      if (picture) picture->pts = i;
      encoder.Send(picture.get());
      while (PacketPtr packet = encoder.Receive()) packets.push_back(std::move(packet));
    }
    return packets;
  }
  Encoder encoder_{ConfigFor(test::SmallSettings("x264", "veryfast"))};
};

TEST_F(MuxerTest, PutsBytesWhereTheyBelong) {
  std::string file;
  Muxer muxer({"matroska", {}, true}, {&encoder_.context()}, [&](std::int64_t offset, std::string_view bytes) {
    const auto end = static_cast<std::size_t>(offset) + bytes.size();
    if (file.size() < end) file.resize(end);
    file.replace(static_cast<std::size_t>(offset), bytes.size(), bytes);
  });
  for (const PacketPtr& packet : Encode(encoder_)) muxer.Write(0, *packet);
  muxer.Finish();
  MediaReader reader(Put("a.mkv", file));
  EXPECT_EQ(reader.size(), (FrameSize{192, 128}));
  int pictures = 0;
  double first = -1;
  while (const auto picture = reader.Next()) {
    if (first < 0) first = picture->seconds;
    ++pictures;
  }
  EXPECT_EQ(pictures, 12);
  EXPECT_EQ(first, 0);
  EXPECT_NEAR(*reader.declared_seconds(), 12 / 25.0 + 2 / 25.0, 0.05) << "the index, written last, says how long";
}

TEST_F(MuxerTest, ThatBytesCannotBePutIsTheCallersTrouble) {
  bool full = false;
  Muxer muxer({"matroska", {{"cluster_time_limit", "1"}}, true}, {&encoder_.context()},
              [&](std::int64_t, std::string_view) {
                if (full) FailMachine("no space");
              });
  full = true;
  EXPECT_THAT(test::Complaint(Fault::kMachine,
                              [&] {
                                for (const PacketPtr& packet : Encode(encoder_)) muxer.Write(0, *packet);
                                muxer.Finish();
                              }),
              testing::HasSubstr("no space"));
}

TEST_F(MuxerTest, AnUnknownContainerIsAnError) {
  EXPECT_THROW(Muxer({"no-such", {}, true}, {&encoder_.context()}, [](std::int64_t, std::string_view) {}), Error);
}

TEST_F(MuxerTest, ATransportStreamIsWholePacketsThatPlay) {
  MediaWriter writer(path("a.mkv"), encoder_.context());
  for (const PacketPtr& packet : Encode(encoder_)) writer.Write(*packet);
  writer.Finish();
  const CodedPictures coded = ReadCodedPictures(path("a.mkv"));
  TransportStream stream(coded);
  std::string bytes;
  double decode = 0;  // Matroska holds no decoding times: even ones will do
  for (const CodedPicture& picture : coded.pictures) {
    const double later = std::max(0.0, picture.show_seconds - picture.decode_seconds);
    const std::string packed = stream.Pack(picture.data, decode, decode + later, picture.keyframe);
    decode += 0.04;
    EXPECT_EQ(packed.size() % 188, 0u);
    EXPECT_EQ(packed[0], 0x47) << "a packet's first byte";
    bytes += packed;
  }
  MediaReader reader(Put("a.ts", bytes));
  int pictures = 0;
  while (reader.Next()) ++pictures;
  EXPECT_EQ(pictures, 12);
  EXPECT_THROW(TransportStream({.codec = "no-such"}), Error);
}

}  // namespace
}  // namespace kettle
