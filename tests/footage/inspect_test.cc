// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/inspect.h"

#include <nlohmann/json.hpp>

#include "clip.h"
#include "says.h"

namespace kettle {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

class InspectTest : public test::FolderTest {
 protected:
  // A clip of 50 pictures; picture i is shown at `place(i)` 1/25 s.
  std::filesystem::path MakeClip(const std::string& encoder, int bit_depth, Chroma chroma,
                                 const std::function<int(int)>& place) {
    test::ClipRequest request{test::SmallSettings(encoder), 50};
    request.settings.bit_depth = bit_depth;
    request.settings.chroma = chroma;
    request.settings.b_frames = 0;
    request.place = place;
    return test::MakeClip(path("clip.mkv"), request);
  }
};

TEST_F(InspectTest, APlainClipIsUsedAsItIs) {
  const ClipReport report = InspectWholeClip(MakeClip("x264", 8, Chroma::k420, [](int i) { return i; }), [](double) {});
  EXPECT_EQ(report.frames, 50);
  EXPECT_EQ(report.size, (FrameSize{192, 128}));
  EXPECT_NEAR(report.seconds, 2, 0.05);
  EXPECT_EQ(report.facts.codec, "h264");
  EXPECT_EQ(report.facts.chroma, "4:2:0");
  EXPECT_FALSE(report.variable_rate);
  EXPECT_FALSE(report.facts.interlaced);
  EXPECT_TRUE(report.notes.empty());
  EXPECT_GT(report.content.ti, 0);
  EXPECT_EQ(nlohmann::json(report)["content"]["word"], report.content.word());
}

TEST_F(InspectTest, TenBitsAndFullChromaAreNoted) {
  const ClipReport report =
      InspectWholeClip(MakeClip("x264", 10, Chroma::k444, [](int i) { return i; }), [](double) {});
  EXPECT_EQ(report.facts.bit_depth, 10);
  EXPECT_THAT(report.notes, ElementsAre(test::Says("10 bit"), test::Says("4:4:4")));
}

TEST_F(InspectTest, AVariableRateIsNoted) {
  const ClipReport report = InspectWholeClip(
      MakeClip("x264", 8, Chroma::k420, [](int i) { return i < 25 ? i : 25 + (i - 25) * 3; }), [](double) {});
  EXPECT_TRUE(report.variable_rate);
  EXPECT_THAT(report.notes, ElementsAre(test::Says("varies")));
}

TEST(PictureNotes, NameWhatIsDone) {
  StreamFacts facts;
  facts.interlaced = true;
  facts.hdr = "PQ";
  facts.bit_depth = 10;
  facts.chroma = "4:2:2";
  const auto notes = PictureNotes(facts, {1281, 721}, false);
  EXPECT_THAT(notes, ElementsAre(test::Says("1280x720"), test::Says("first field"), test::Says("tone mapping"),
                                 test::Says("8 bit"), test::Says("4:2:0")));
}

TEST(HasVariableRate, AContainersRoundingIsNone) {
  std::vector<MediaReader::PacketTime> packets;
  for (int i = 0; i < 100; ++i) packets.push_back({std::round(i / 60.0 * 1000) / 1000, 1});
  EXPECT_FALSE(HasVariableRate(packets));
  for (auto& packet : packets)
    if (packet.seconds > 1) packet.seconds = 1 + (packet.seconds - 1) * 2;
  EXPECT_TRUE(HasVariableRate(packets));
  EXPECT_FALSE(HasVariableRate({}));
}

}  // namespace
}  // namespace kettle
