// SPDX-License-Identifier: Apache-2.0
// What the stand-in device gives again plays, with B-frames too. Real coders, and a real decoder.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "kettle/media/libav.h"
#include "replaying_coder.h"

namespace kettle {
namespace {

using standin::CodedUnit;
using standin::PictureRequest;
using standin::Settings;

constexpr int kWidth = 128, kHeight = 96, kPitch = 128, kKeyframes = 8;
constexpr std::size_t kMostBytes = 1 << 20;

// Counts what a coder is asked.
class Counted final : public standin::Coder {
 public:
  Counted(std::unique_ptr<standin::Coder> coder, int& asked) : coder_(std::move(coder)), asked_(asked) {}
  const std::vector<std::uint8_t>& header() const override { return coder_->header(); }
  int delay() const override { return coder_->delay(); }
  std::optional<CodedUnit> Code(const std::uint8_t* picture, const PictureRequest& request) override {
    ++asked_;
    return coder_->Code(picture, request);
  }
  std::optional<CodedUnit> Flush() override { return coder_->Flush(); }

 private:
  const std::unique_ptr<standin::Coder> coder_;
  int& asked_;
};

struct Stream {
  std::vector<std::string> units;
  std::vector<std::uint64_t> timestamps;
  std::vector<std::size_t> pictures_before;  // each unit: those that were taken when it came
};

// The brightness of each picture, as a player shows them.
std::vector<int> Shown(const Stream& stream, AVCodecID codec) {
  const CodecContextPtr decoder(avcodec_alloc_context3(avcodec_find_decoder(codec)));
  CheckLibav(avcodec_open2(decoder.get(), nullptr, nullptr), "no decoder");
  std::vector<int> shown;
  const FramePtr picture = NewFrame();
  const auto receive = [&] {
    while (avcodec_receive_frame(decoder.get(), picture.get()) >= 0)
      shown.push_back(picture->data[0][picture->linesize[0] * kHeight / 2 + kWidth / 2]);
  };
  for (const std::string& unit : stream.units) {
    const PacketPtr packet = NewPacket();
    CheckLibav(av_new_packet(packet.get(), static_cast<int>(unit.size())), "out of memory");
    unit.copy(reinterpret_cast<char*>(packet->data), unit.size());
    CheckLibav(avcodec_send_packet(decoder.get(), packet.get()), "not decoded");
    receive();
  }
  avcodec_send_packet(decoder.get(), nullptr);
  receive();
  return shown;
}

struct Case {
  standin::Codec codec;
  int b_frames;
};

class ReplayingStreamsTest : public testing::TestWithParam<Case> {
 protected:
  ReplayingStreamsTest() {
    settings_.codec = GetParam().codec;
    settings_.b_frames = GetParam().b_frames;
    settings_.width = kWidth;
    settings_.height = kHeight;
    settings_.pitch = kPitch;
    settings_.rate_numerator = 60;
    settings_.rate_denominator = 1;
    settings_.preset = 4;
    settings_.keyframe_frames = kKeyframes;
    settings_.constant_qp = 10;
    settings_.target_quality = -1;
    settings_.repeat_headers = 1;
    settings_.profile_idc = 100;
  }

  // Pictures of one brightness each.
  Stream Play(const std::vector<int>& greys) {
    asked_ = 0;
    const auto make = [this] { return std::make_unique<Counted>(standin::MakeCoder(settings_), asked_); };
    const auto coder = standin::MakeReplayingCoder(settings_, make, *before_);
    Stream stream;
    std::size_t taken = 0;
    const auto add = [&](const std::optional<CodedUnit>& unit) {
      if (!unit) return false;
      stream.units.emplace_back(reinterpret_cast<const char*>(unit->data), unit->bytes);
      stream.timestamps.push_back(unit->timestamp);
      stream.pictures_before.push_back(taken);
      return true;
    };
    for (const int grey : greys) {
      std::vector<std::uint8_t> picture(kPitch * kHeight * 3 / 2, 128);
      std::fill_n(picture.begin(), kPitch * kHeight, static_cast<std::uint8_t>(grey));
      add(coder->Code(picture.data(), {.timestamp = 1000 + taken++}));
    }
    while (add(coder->Flush())) {
    }
    return stream;
  }

  static std::vector<int> Greys(int count) {
    std::vector<int> greys;
    for (int i = 0; i < count; ++i) greys.push_back(40 + 7 * i);
    return greys;
  }

  void ExpectPlays(const Stream& stream, const std::vector<int>& greys) const {
    std::vector<std::uint64_t> wanted;
    for (std::size_t i = 0; i < greys.size(); ++i) wanted.push_back(1000 + i);
    EXPECT_THAT(stream.timestamps, testing::UnorderedElementsAreArray(wanted));
    const AVCodecID codec = settings_.codec == standin::Codec::kHevc ? AV_CODEC_ID_HEVC : AV_CODEC_ID_H264;
    EXPECT_THAT(Shown(stream, codec), testing::Pointwise(testing::Truly([](const std::tuple<int, int>& pair) {
                                                           return std::abs(std::get<0>(pair) - std::get<1>(pair)) <= 2;
                                                         }),
                                                         greys));
  }

  Settings settings_{};
  int asked_ = 0;
  std::unique_ptr<standin::CodedBefore> before_ = std::make_unique<standin::CodedBefore>(kMostBytes);
};

TEST_P(ReplayingStreamsTest, TheSamePicturesAreCodedOnceAndComeAsLate) {
  const std::vector<int> greys = Greys(2 * kKeyframes + 3);
  const Stream first = Play(greys);
  EXPECT_EQ(asked_, 2 * kKeyframes + 3);
  ExpectPlays(first, greys);
  const Stream again = Play(greys);
  EXPECT_EQ(asked_, 0) << "nothing was new";
  EXPECT_EQ(again.units, first.units);
  EXPECT_EQ(again.timestamps, first.timestamps);
  EXPECT_EQ(again.pictures_before, first.pictures_before);
}

TEST_P(ReplayingStreamsTest, AStreamThatDiffersPlaysWhereverItLeavesAndReturns) {
  const std::vector<int> all = Greys(3 * kKeyframes);
  for (std::size_t skipped = 1; skipped <= kKeyframes + 1; ++skipped) {
    SCOPED_TRACE(skipped);
    before_ = std::make_unique<standin::CodedBefore>(kMostBytes);
    Play(all);
    std::vector<int> greys = all;
    greys.erase(greys.begin() + static_cast<std::ptrdiff_t>(skipped));
    ExpectPlays(Play(greys), greys);
    EXPECT_LE(asked_, 3 * kKeyframes - 1);
  }
}

TEST_P(ReplayingStreamsTest, ItReturnsToWhatWasCodedBeforeAtAKeyframe) {
  const std::vector<int> first = Greys(2 * kKeyframes);
  Play(first);
  std::vector<int> greys = first;
  greys[4] = 250;  // within the first keyframe's pictures
  ExpectPlays(Play(greys), greys);
  EXPECT_LE(asked_, kKeyframes) << "what follows the second keyframe was coded before";
  EXPECT_GE(asked_, kKeyframes - 4);
}

INSTANTIATE_TEST_SUITE_P(Codecs, ReplayingStreamsTest,
                         testing::Values(Case{standin::Codec::kH264, 0}, Case{standin::Codec::kH264, 1},
                                         Case{standin::Codec::kH264, 2}, Case{standin::Codec::kH264, 3},
                                         Case{standin::Codec::kHevc, 0}, Case{standin::Codec::kHevc, 1},
                                         Case{standin::Codec::kHevc, 2}, Case{standin::Codec::kHevc, 3}),
                         [](const auto& tested) {
                           return std::string(tested.param.codec == standin::Codec::kHevc ? "Hevc" : "H264") + "With" +
                                  std::to_string(tested.param.b_frames) + "BFrames";
                         });

}  // namespace
}  // namespace kettle
