// SPDX-License-Identifier: Apache-2.0
#include "kettle/coded/samples.h"

#include "kettle/encoders/catalogue.h"
#include "kettle/media/encoder.h"
#include "support.h"

namespace kettle {
namespace {

using std::string_literals::operator""s;
using testing::StartsWith;

TEST(Samples, StartCodesBecomeLengths) {
  EXPECT_EQ(SampleOf(AV_CODEC_ID_H264, "\0\0\0\1abc\0\0\1de"s), "\0\0\0\3abc\0\0\0\2de"s);
  EXPECT_EQ(SampleOf(AV_CODEC_ID_HEVC, "\0\0\1abc\0\0\0\1de\0\0"s), "\0\0\0\3abc\0\0\0\2de"s)
      << "zeros before a start code and at the end are padding";
  EXPECT_EQ(SampleOf(AV_CODEC_ID_H264, "\0\0\0\3abc"s), "\0\0\0\3abc"s) << "it has lengths already";
}

TEST(Samples, TemporalDelimitersAreLeftOut) {
  const std::string delimiter = "\x12\0"s, frame = "\x32\2ab"s;  // OBU headers with a size: types 2 and 6
  EXPECT_EQ(SampleOf(AV_CODEC_ID_AV1, delimiter + frame + frame), frame + frame);
  EXPECT_EQ(SampleOf(AV_CODEC_ID_AV1, delimiter + "\x30rest"s), "\x30rest"s) << "one without a size is the last";
  EXPECT_EQ(SampleOf(AV_CODEC_ID_AV1, "\x32\x7Fgh"s), "\x32\x7Fgh"s) << "one that is cut off stays as it is";
}

struct Case {
  const char *encoder, *preset, *record;
};

class SamplesOfEncoders : public test::FolderTest, public testing::WithParamInterface<Case> {
 protected:
  static EncodeSettings Settings() {
    EncodeSettings settings = test::SmallSettings(GetParam().encoder, GetParam().preset);
    settings.rate_control = RateControl::kCappedVariable;
    settings.maximum_bit_rate = BitRate::FromKbps(settings.bit_rate.kbps() * 1.5);
    return settings;
  }
};

// Decodes samples as a player does that has read the record from a container.
class Player {
 public:
  Player(AVCodecID codec, const std::string& record) : context_(avcodec_alloc_context3(avcodec_find_decoder(codec))) {
    context_->extradata = static_cast<std::uint8_t*>(av_mallocz(record.size() + AV_INPUT_BUFFER_PADDING_SIZE));
    context_->extradata_size = static_cast<int>(record.size());
    record.copy(reinterpret_cast<char*>(context_->extradata), record.size());
    CheckLibav(avcodec_open2(context_.get(), nullptr, nullptr), "no decoder");
  }
  // Nothing ends it.
  void Give(const std::string& sample) {
    const PacketPtr packet = NewPacket();
    if (!sample.empty()) {
      CheckLibav(av_new_packet(packet.get(), static_cast<int>(sample.size())), "out of memory");
      sample.copy(reinterpret_cast<char*>(packet->data), sample.size());
    }
    CheckLibav(avcodec_send_packet(context_.get(), sample.empty() ? nullptr : packet.get()), "not decoded");
    const FramePtr picture = NewFrame();
    while (avcodec_receive_frame(context_.get(), picture.get()) >= 0) {
      std::string luma;
      for (int row = 0; row < picture->height; ++row)
        luma.append(reinterpret_cast<const char*>(picture->data[0] + row * picture->linesize[0]),
                    static_cast<std::size_t>(picture->width));
      pictures_.push_back(std::move(luma));
    }
  }
  const std::vector<std::string>& pictures() const { return pictures_; }

 private:
  CodecContextPtr context_;
  std::vector<std::string> pictures_;
};

TEST_P(SamplesOfEncoders, PlayFromTheRecordAndPassOverFiller) {
  const Y4mFile source(test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 12));
  Encoder encoder(ConfigFor(Settings()));
  const AVCodecID codec = encoder.context().codec_id;
  const std::string record = ConfigurationRecord(encoder.context());
  EXPECT_THAT(record, StartsWith(GetParam().record));
  Player bare(codec, record), filled(codec, record);
  for (int i = 0; i <= source.frames(); ++i) {
    const FramePtr picture = i < source.frames() ? source.Frame(i) : nullptr;
    if (picture) picture->pts = i;
    encoder.Send(picture.get());
    while (PacketPtr packet = encoder.Receive()) {
      std::string sample =
          SampleOf(codec, {reinterpret_cast<const char*>(packet->data), static_cast<std::size_t>(packet->size)});
      bare.Give(sample);
      const std::size_t before = sample.size();
      AppendFiller(codec, 3000, sample);
      EXPECT_EQ(sample.size(), before + 3000);
      filled.Give(sample);
    }
  }
  bare.Give("");
  filled.Give("");
  EXPECT_EQ(bare.pictures().size(), 12u);
  EXPECT_EQ(bare.pictures(), filled.pictures());
}

INSTANTIATE_TEST_SUITE_P(Each, SamplesOfEncoders,
                         testing::Values(Case{"x264", "veryfast", "\x01"}, Case{"x265", "ultrafast", "\x01"},
                                         Case{"svt-av1", "12", "\x81"}),
                         [](const auto& each) { return FindFamily(each.param.encoder).codec; });

}  // namespace
}  // namespace kettle
