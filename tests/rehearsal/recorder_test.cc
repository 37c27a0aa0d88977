// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/recorder.h"

#include <limits>

#include "kettle/encoders/catalogue.h"
#include "kettle/media/encoder.h"
#include "kettle/media/reader.h"
#include "kettle/realtime/sound.h"
#include "kettle/rehearsal/flv_packer.h"
#include "support.h"

namespace kettle {
namespace {

using testing::HasSubstr;

class RecorderTest : public test::FolderTest {
 protected:
  // Encodes so many pictures; each packet goes to `take`.
  void Encode(int pictures, const std::function<void(const AVPacket&)>& take) {
    if (!std::filesystem::exists(path("source.y4m"))) test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 25);
    const Y4mFile source(path("source.y4m"));
    for (int i = 0; i <= pictures; ++i) {
      const FramePtr picture = i < pictures ? source.Frame(i % source.frames()) : nullptr;
      if (picture) picture->pts = i;
      encoder_.Send(picture.get());
      while (PacketPtr packet = encoder_.Receive()) take(*packet);
    }
  }
  static int Pictures(const std::filesystem::path& file) {
    MediaReader reader(file);
    int pictures = 0;
    while (reader.Next()) ++pictures;
    return pictures;
  }

  Encoder encoder_{ConfigFor(test::SmallSettings("x264", "veryfast"))};
  Sound sound_{{48'000, 96, 2}};
  std::vector<const AVCodecContext*> Tracks() {
    std::vector<const AVCodecContext*> tracks{&encoder_.context()};
    for (const AVCodecContext* sound : sound_.contexts()) tracks.push_back(sound);
    return tracks;
  }
};

TEST_F(RecorderTest, EveryContainerPlaysWithItsTracks) {
  std::vector<std::unique_ptr<Recorder>> recorders;
  const std::vector<std::string> containers = {"matroska", "fragmented-mp4", "mp4"};
  for (const std::string& container : containers)
    recorders.push_back(
        std::make_unique<Recorder>(RecorderRequest{path(container + ExtensionOf(container)), container}, Tracks()));
  for (int block = 0; block < 40; ++block)
    sound_.EncodeBlock([&](int track, const AVPacket& packet) {
      for (auto& recorder : recorders) recorder->Enqueue(track + 1, packet, -1);
    });
  Encode(25, [&](const AVPacket& packet) {
    for (auto& recorder : recorders) recorder->Enqueue(0, packet, packet.pts);
  });
  for (std::size_t i = 0; i < recorders.size(); ++i) {
    recorders[i]->Finish();
    EXPECT_EQ(recorders[i]->state().trouble, "");
    EXPECT_EQ(recorders[i]->state().stalled, 0);
    EXPECT_EQ(Pictures(path(containers[i] + ExtensionOf(containers[i]))), 25) << containers[i];
  }
  EXPECT_THAT(test::Complaint(Fault::kInput, [] { ContainerOf("avi"); }), HasSubstr("matroska"));
}

TEST_F(RecorderTest, EndsInGoodOrderBeforeTheDiskIsFull) {
  RecorderRequest request{path("full.mkv")};
  request.least_free_bytes = std::numeric_limits<std::int64_t>::max();  // as if the disk were full from the start
  Recorder recorder(request, Tracks());
  // Packets of a size that makes it look, over several seconds: a second is held together.
  Encode(125, [&](const AVPacket& packet) {
    PacketPtr heavy = NewPacket();
    ASSERT_EQ(av_new_packet(heavy.get(), 200'000), 0);
    av_packet_copy_props(heavy.get(), &packet);
    std::fill(heavy->data, heavy->data + heavy->size, std::uint8_t{0xFF});
    for (const auto& [at, byte] : {std::pair(0, 0), {1, 0}, {2, 0}, {3, 1}, {4, 12}})  // one unit of filler data
      heavy->data[at] = static_cast<std::uint8_t>(byte);
    recorder.Enqueue(0, *heavy, packet.pts);
  });
  recorder.Finish();
  const RecorderState state = recorder.state();
  EXPECT_THAT(state.trouble, HasSubstr("the disk is full"));
  EXPECT_TRUE(state.disk_full);
  EXPECT_LT(state.written_bytes, 125 * 200'000);
  EXPECT_EQ(MediaReader(path("full.mkv")).ReadPackets().size() + recorder.Stalled().size(), 125u)
      << "each picture is in it, or counted";
  EXPECT_EQ(state.stalled, static_cast<int>(recorder.Stalled().size()));
}

TEST_F(RecorderTest, ADiskWithoutRoomIsToldAsSuch) {
  if (!std::filesystem::exists("/dev/full")) GTEST_SKIP() << "no device that is always full";
  std::filesystem::create_symlink("/dev/full", path("a.mkv"));
  // The header cannot be written: that is known before the show.
  EXPECT_THAT(test::Complaint(Fault::kMachine, [&] { Recorder({path("a.mkv")}, Tracks()); }),
              HasSubstr("No space left on device"));
}

TEST_F(RecorderTest, AFileThatCannotBeMadeIsAnError) {
  EXPECT_THAT(test::Complaint(Fault::kMachine, [&] { Recorder({path("none") / "a.mkv"}, Tracks()); }),
              HasSubstr("cannot be written"));
}

TEST_F(RecorderTest, FlvMessagesBeginWithHeadersAndHoldSoundBack) {
  FlvPacker packer({&encoder_.context(), sound_.contexts().front()});
  ASSERT_EQ(packer.opening().size(), 3u) << "metadata, and a header for pictures and sound";
  EXPECT_EQ(packer.opening()[0].type, RtmpType::kData);
  EXPECT_THAT(packer.opening()[0].body, HasSubstr("@setDataFrame"));
  EXPECT_EQ(packer.opening()[1].body[1], 0) << "a sequence header";
  // Pictures that are reordered begin before the sound: it waits for them.
  int before = 0, sounds = 0;
  std::vector<std::int64_t> pictures;
  std::uint32_t last_ms = 0;
  for (int i = 0; i < 2; ++i)
    sound_.EncodeBlock([&](int track, const AVPacket& packet) {
      if (track == 0) before += static_cast<int>(packer.Pack(1, packet).size());
    });
  Encode(25, [&](const AVPacket& packet) {
    for (const FlvPacker::Packed& packed : packer.Pack(0, packet)) {
      sounds += !packed.picture;
      if (!packed.picture) continue;
      pictures.push_back(packed.picture->number);
      EXPECT_EQ(packed.picture->keyframe, (packet.flags & AV_PKT_FLAG_KEY) != 0);
      EXPECT_GE(packed.message.timestamp_ms, last_ms);
      last_ms = packed.message.timestamp_ms;
    }
  });
  EXPECT_EQ(before, 0);
  EXPECT_GE(sounds, 1) << "what was held back came with the first picture";
  EXPECT_EQ(pictures.size(), 25u);
  std::sort(pictures.begin(), pictures.end());
  EXPECT_EQ(pictures.back(), 24);
}

TEST_F(RecorderTest, TimesBeginWithTheSoundWhereThatBeginsEarlier) {
  Encoder plain(ConfigFor(test::SmallSettings()));  // ultrafast: nothing is reordered, and AAC's priming comes first
  FlvPacker packer({&plain.context(), sound_.contexts().front()});
  test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 5);
  const Y4mFile source(path("source.y4m"));
  std::vector<std::uint32_t> pictures, sounds;
  for (int i = 0; i <= 5; ++i) {
    const FramePtr picture = i < 5 ? source.Frame(i) : nullptr;
    if (picture) picture->pts = i;
    plain.Send(picture.get());
    while (PacketPtr packet = plain.Receive())
      for (const auto& packed : packer.Pack(0, *packet)) pictures.push_back(packed.message.timestamp_ms);
  }
  for (int i = 0; i < 3; ++i)
    sound_.EncodeBlock([&](int track, const AVPacket& packet) {
      if (track != 0) return;
      for (const auto& packed : packer.Pack(1, packet)) sounds.push_back(packed.message.timestamp_ms);
    });
  constexpr std::uint32_t kPrimingMs = 21;  // 1024 samples
  EXPECT_THAT(pictures,
              testing::ElementsAre(kPrimingMs, kPrimingMs + 40, kPrimingMs + 80, kPrimingMs + 120, kPrimingMs + 160));
  ASSERT_FALSE(sounds.empty());
  EXPECT_EQ(sounds.front(), 0u);
}

TEST_F(RecorderTest, HevcAndAv1ArePackedToo) {
  for (const auto& [encoder, preset, codec] :
       {std::tuple{"x265", "ultrafast", FlvCodec::kHevc}, std::tuple{"svt-av1", "12", FlvCodec::kAv1}}) {
    EncodeSettings settings = test::SmallSettings(encoder, preset);
    settings.rate_control = RateControl::kCappedVariable;
    settings.maximum_bit_rate = BitRate::FromKbps(settings.bit_rate.kbps() * 1.5);
    Encoder pictures(ConfigFor(settings));
    FlvPacker packer({&pictures.context()});
    ASSERT_EQ(packer.opening().size(), 2u);
    EXPECT_TRUE(ReadVideoBody(packer.opening()[1].body)->header);
    const Y4mFile source(test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 5));
    int packed = 0;
    for (int i = 0; i <= 5; ++i) {
      const FramePtr picture = i < 5 ? source.Frame(i) : nullptr;
      if (picture) picture->pts = i;
      pictures.Send(picture.get());
      while (PacketPtr packet = pictures.Receive())
        for (const auto& one : packer.Pack(0, *packet)) {
          EXPECT_EQ(ReadVideoBody(one.message.body)->codec, codec);
          packed += ReadVideoBody(one.message.body)->picture;
        }
    }
    EXPECT_EQ(packed, 5) << encoder;
  }
}

TEST_F(RecorderTest, WhatRtmpDoesNotCarryIsRefused) {
  EncodeSettings settings = test::SmallSettings("vp9", "8");
  const Encoder pictures(ConfigFor(settings));
  EXPECT_THAT(test::Complaint(Fault::kMachine, [&] { FlvPacker({&pictures.context()}); }), HasSubstr("vp9"));
}

TEST(Sound, KeepsTimeByBlocks) {
  Sound sound({48'000, 96, 1});
  EXPECT_NEAR(sound.SecondsOf(0), 1024.0 / 48'000, 1e-9);
  int packets = 0;
  for (int i = 0; i < 10; ++i) sound.EncodeBlock([&](int, const AVPacket& packet) { packets += packet.size > 0; });
  EXPECT_GE(packets, 8);
  EXPECT_EQ(sound.contexts().front()->sample_rate, 48'000);
}

}  // namespace
}  // namespace kettle
