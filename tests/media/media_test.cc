// SPDX-License-Identifier: Apache-2.0
// Encoder, writer, reader and scaler together, on real encodes.
#include "kettle/encoders/catalogue.h"
#include "kettle/media/driver_headers.h"
#include "kettle/media/encoder.h"
#include "kettle/media/hardware.h"
#include "kettle/media/reader.h"
#include "kettle/media/scaler.h"
#include "kettle/media/writer.h"
#include "support.h"

namespace kettle {
namespace {

using test::Complaint;

class MediaTest : public test::FolderTest {
 protected:
  // Encodes `frames` made-up pictures into a file; returns its path.
  std::string EncodeTo(const std::string& name, int frames) {
    test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, frames);
    const Y4mFile source(path("source.y4m"));
    Encoder encoder(ConfigFor(test::SmallSettings()));
    MediaWriter writer(path(name), encoder.context());
    const auto drain = [&] {
      while (PacketPtr packet = encoder.Receive()) writer.Write(*packet);
    };
    for (int i = 0; i < frames; ++i) {
      FramePtr picture = source.Frame(i);
      picture->pts = i;
      encoder.Send(picture.get());
      drain();
    }
    encoder.Send(nullptr);
    drain();
    writer.Finish();
    return path(name).string();
  }
};

TEST_F(MediaTest, EveryFrameComesBackInBothContainers) {
  for (const char* name : {"a.mkv", "a.flv"}) {
    MediaReader reader(EncodeTo(name, 40));
    EXPECT_EQ(reader.size(), (FrameSize{192, 128})) << name;
    int frames = 0;
    while (auto picture = reader.Next()) EXPECT_NEAR(picture->seconds, frames++ / 25.0, 0.002) << name;
    EXPECT_EQ(frames, 40) << name;
  }
}

TEST_F(MediaTest, PacketTimesReachTheEnd) {
  MediaReader reader(EncodeTo("a.mkv", 50));
  EXPECT_EQ(reader.ReadPackets().size(), 50u);
  EXPECT_NEAR(reader.reached_seconds(), 2.0, 0.05);
  ASSERT_TRUE(reader.declared_seconds());
  EXPECT_NEAR(*reader.declared_seconds(), 2.0, 0.05);
  reader.Seek(0);
  EXPECT_TRUE(reader.Next());
}

TEST_F(MediaTest, AFileThatIsNoClipGetsOneLine) {
  EXPECT_THAT(Complaint(Fault::kInput, [&] { MediaReader reader(path("none.mkv")); }),
              testing::HasSubstr("no such file"));
  EXPECT_THAT(Complaint(Fault::kInput, [&] { MediaReader reader(Put("e.mkv", "")); }), testing::HasSubstr("empty"));
  EXPECT_THAT(Complaint(Fault::kInput, [&] { MediaReader reader(path("")); }), testing::HasSubstr("folder"));
  Complaint(Fault::kInput, [&] { MediaReader reader(Put("n.mkv", std::string(5000, 'x'))); });
}

TEST_F(MediaTest, TheEncoderSaysWhatItDoesNotKnow) {
  EncoderConfig config = ConfigFor(test::SmallSettings());
  config.options["no-such-option"] = "1";
  EXPECT_THAT(Complaint(Fault::kMachine, [&] { Encoder encoder(config); }), testing::HasSubstr("no-such-option"));
  config.library_name = "nonesuch";
  EXPECT_THAT(Complaint(Fault::kMachine, [&] { Encoder encoder(config); }), testing::HasSubstr("nonesuch"));
}

TEST_F(MediaTest, ScalingToTheSameSizeIsNoCopy) {
  const FramePtr picture = NewPicture({128, 64});
  Scaler same({128, 64});
  EXPECT_EQ(same.Scale(*picture)->data[0], picture->data[0]);
  Scaler half({64, 64});
  EXPECT_EQ(half.Scale(*picture)->width, 64);
}

TEST_F(MediaTest, ConvertingToTenBitsKeepsTheValues) {
  FramePtr picture = NewPicture({64, 64});
  for (int plane = 0; plane < 3; ++plane)
    memset(picture->data[plane], 100, static_cast<std::size_t>(picture->linesize[plane] * (plane ? 32 : 64)));
  const FramePtr deep = Scaler({64, 64}, AV_PIX_FMT_YUV420P10LE).Scale(*picture);
  EXPECT_EQ(reinterpret_cast<const std::uint16_t*>(deep->data[0])[5], 400);
  const FramePtr back = Scaler({64, 64}).Scale(*deep);
  EXPECT_EQ(back->data[0][5], 100);
}

TEST_F(MediaTest, EveryScalerHasANameAndADifferentPicture) {
  const FramePtr picture = NewPicture({128, 64});
  for (int y = 0; y < 64; ++y)
    for (int x = 0; x < 128; ++x) picture->data[0][y * picture->linesize[0] + x] = static_cast<std::uint8_t>(x * y * 7);
  std::vector<std::string> lines;
  for (const ScaleFilter filter : {ScaleFilter::kBilinear, ScaleFilter::kBicubic, ScaleFilter::kLanczos}) {
    EXPECT_EQ(ParseScaleFilter(Name(filter)), filter);
    const FramePtr scaled = Scaler({96, 48}, AV_PIX_FMT_YUV420P, filter).Scale(*picture);
    lines.emplace_back(reinterpret_cast<const char*>(scaled->data[0] + 9 * scaled->linesize[0]), 96);
  }
  EXPECT_TRUE(lines[0] != lines[1] && lines[1] != lines[2]);
  EXPECT_THAT(Complaint(Fault::kInput, [] { ParseScaleFilter("nearest"); }), testing::HasSubstr("bicubic"));
}

TEST_F(MediaTest, OfAnInterlacedPictureOnlyTheFirstFieldIsUsed) {
  const FramePtr picture = NewPicture({64, 64});
  for (int plane = 0; plane < 3; ++plane)
    for (int y = 0; y < (plane ? 32 : 64); ++y)
      memset(picture->data[plane] + y * picture->linesize[plane], plane ? 128 : y % 2 ? 60 : 200, plane ? 32 : 64);
  picture->color_range = AVCOL_RANGE_MPEG;
  picture->colorspace = AVCOL_SPC_BT709;
  for (const bool top_first : {true, false}) {
    SetInterlaced(*picture, true, top_first);
    const FramePtr fitted = FitPicture(*picture, {64, 64});
    for (int y = 0; y < 64; ++y)
      EXPECT_NEAR(fitted->data[0][y * fitted->linesize[0] + 5], top_first ? 200 : 60, 1) << y;
  }
}

TEST(Hardware, ANodeThatIsNotThereIsNamed) {
  std::string driver;
  EXPECT_THAT(Complaint(Fault::kMachine, [&] { OpenHardware("vaapi", "/dev/dri/renderD999", driver); }),
              testing::HasSubstr("no render node /dev/dri/renderD999"));
}

TEST_F(MediaTest, AFileWhereARenderNodeShouldBeIsToldFromAGpuWithoutDriver) {
  std::string driver;
  const std::string file = Put("renderD128", "");
  EXPECT_THAT(Complaint(Fault::kMachine, [&] { OpenHardware("vaapi", file, driver); }),
              testing::HasSubstr("belongs to no GPU"));
  EXPECT_THAT(Complaint(Fault::kMachine, [&] { OpenHardware("qsv", file, driver); }), testing::HasSubstr("has no QSV"));
}

TEST(ColourTag, LeavesAloneWhatItCannotRead) {
  AVCodecContext* raw = avcodec_alloc_context3(nullptr);
  const CodecContextPtr context(raw);
  context->codec_id = AV_CODEC_ID_H264;
  context->codec_type = AVMEDIA_TYPE_VIDEO;
  context->time_base = {1, 30};
  const std::vector<std::uint8_t> header = {9, 8, 7, 6, 5};
  ColourTag tag(*context, header);
  EXPECT_EQ(tag.header(), header);
  const PacketPtr packet = NewPacket();
  ASSERT_EQ(av_new_packet(packet.get(), 4), 0);
  std::copy_n("abcd", 4, packet->data);
  tag.Apply(*packet);
  EXPECT_EQ(std::string(packet->data, packet->data + packet->size), "abcd");
}

TEST_F(MediaTest, FittingKeepsTheShapeWithBlackBars) {
  FramePtr picture = NewPicture({128, 128});
  for (int plane = 0; plane < 3; ++plane)
    for (int y = 0; y < (plane ? 64 : 128); ++y)
      memset(picture->data[plane] + y * picture->linesize[plane], plane ? 128 : 200, plane ? 64 : 128);
  picture->color_range = AVCOL_RANGE_MPEG;
  picture->colorspace = AVCOL_SPC_BT709;
  const FramePtr wide = FitPicture(*picture, {256, 128});
  EXPECT_EQ(wide->data[0][64 * wide->linesize[0] + 10], 16) << "a bar on the left";
  EXPECT_NEAR(wide->data[0][64 * wide->linesize[0] + 128], 200, 2) << "the picture in the middle";
  EXPECT_EQ(wide->data[0][64 * wide->linesize[0] + 250], 16) << "a bar on the right";
}

TEST_F(MediaTest, FullRangeBecomesLimited) {
  FramePtr picture = NewPicture({64, 64});
  for (int plane = 0; plane < 3; ++plane)
    for (int y = 0; y < (plane ? 32 : 64); ++y)
      memset(picture->data[plane] + y * picture->linesize[plane], plane ? 128 : 255, plane ? 32 : 64);
  picture->color_range = AVCOL_RANGE_JPEG;
  picture->colorspace = AVCOL_SPC_BT709;
  EXPECT_NEAR(FitPicture(*picture, {64, 64})->data[0][100], 235, 1);
}

}  // namespace
}  // namespace kettle
