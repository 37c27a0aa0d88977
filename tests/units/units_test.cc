// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/units.h"

#include "support.h"

namespace kettle {
namespace {

using test::Complaint;

TEST(BitRate, ReadsEveryUnit) {
  const std::pair<const char*, std::int64_t> cases[] = {
      {"4500 kbit/s", 4'500'000}, {"4.5 Mbit/s", 4'500'000}, {"4500kbit/s", 4'500'000},   {"1.4 MB/s", 11'200'000},
      {"560 kB/s", 4'480'000},    {" 2 Mbit/s ", 2'000'000}, {"0.001 Gbit/s", 1'000'000}, {"9000 bit/s", 9000}};
  for (const auto& [text, bits] : cases) EXPECT_EQ(BitRate::Parse(text).bits_per_second, bits) << text;
}

TEST(BitRate, RefusesABareNumberWithBothMeanings) {
  const std::string line = Complaint(Fault::kInput, [] { BitRate::Parse("4500"); });
  EXPECT_THAT(line, testing::HasSubstr("4500 kbit/s"));
  EXPECT_THAT(line, testing::HasSubstr("MB/s"));
  EXPECT_THAT(line, testing::HasSubstr("8 times"));
}

TEST(BitRate, RefusesWhatIsNoBitRate) {
  for (const char* text :
       {"", "fast", "4500 kbps", "4500 mbit/s", "-3 Mbit/s", "0 kbit/s", "1e9 Mbit/s", "4,5 Mbit/s", "nan Mbit/s"})
    EXPECT_THROW(BitRate::Parse(text), Error) << text;
}

TEST(FrameSize, ReadsWhatCanBeEncoded) {
  EXPECT_EQ(FrameSize::Parse("1280x720"), (FrameSize{1280, 720}));
  EXPECT_EQ(FrameSize::Parse("1280x720").str(), "1280x720");
  for (const char* text :
       {"", "1280", "1280x", "x720", "1280*720", "1280x720p", "0x0", "62x64", "8194x64", "-1280x720"})
    EXPECT_THROW(FrameSize::Parse(text), Error) << text;
}

TEST(FrameSize, NamesTheNearestEvenSize) {
  EXPECT_THAT(Complaint(Fault::kInput, [] { FrameSize::Parse("853x481"); }), testing::HasSubstr("852x480"));
}

TEST(FrameRate, ReadsFractionsAndTheUsualRoundings) {
  const std::pair<const char*, FrameRate> cases[] = {{"60", {60, 1}},          {"60000/1001", {60000, 1001}},
                                                     {"59.94", {60000, 1001}}, {"29.97", {30000, 1001}},
                                                     {"50/2", {25, 1}},        {"23.976", {24000, 1001}}};
  for (const auto& [text, rate] : cases) EXPECT_EQ(FrameRate::Parse(text), rate) << text;
  for (const char* text : {"", "0", "60/0", "0/1", "-60", "481", "1/2", "sixty", "60.5", "60/"})
    EXPECT_THROW(FrameRate::Parse(text), Error) << text;
}

TEST(FrameRate, DueTimesNeverDrift) {
  const FrameRate ntsc{60000, 1001};
  EXPECT_EQ(ntsc.due_ns(0), 0);
  EXPECT_EQ(ntsc.due_ns(60000), 1001'000'000'000);
  EXPECT_EQ(ntsc.due_ns(std::int64_t{60000} * 3600), std::int64_t{3600} * 1001'000'000'000);
  EXPECT_EQ((FrameRate{60, 1}).due_ns(1), 16'666'666);
}

// Unreduced rates, as containers and headers may give them, once overflowed when a frame's time was asked for.
TEST(FrameRate, IsReducedAndItsTimesDoNotOverflow) {
  EXPECT_EQ(FrameRate::FromFraction(2'000'000'000, 1'000'000'000), (FrameRate{2, 1}));
  EXPECT_EQ(FrameRate::Parse("60000000/1001000").str(), "60000/1001");
  EXPECT_EQ(FrameRate::FromFraction(0, 1), (FrameRate{0, 1}));
  EXPECT_EQ(FrameRate::FromFraction(30, 0), (FrameRate{0, 1}));
  EXPECT_EQ(FrameRate::FromFraction(-30, 1), (FrameRate{0, 1}));
  EXPECT_EQ(FrameRate::FromFraction(1, 3'000'000'000), (FrameRate{0, 1})) << "one picture in a century";
  const FrameRate nearest = FrameRate::FromFraction(2'147'483'647, 71'582'789);  // no common divisor
  EXPECT_NEAR(nearest.fps(), 2'147'483'647.0 / 71'582'789, 1e-6);
  EXPECT_LE(nearest.numerator, 1'000'000);
  for (const FrameRate rate : {nearest, FrameRate{999'983, 999'979}, FrameRate{480, 1}}) {
    const std::int64_t index = (std::int64_t{1} << 31) - 1;
    EXPECT_NEAR(static_cast<double>(rate.due_ns(index)) * 1e-9, static_cast<double>(index) / rate.fps(),
                1e-6 * static_cast<double>(index));
    EXPECT_GE(rate.due_ns(index), rate.due_ns(index - 1));
  }
}

TEST(UnevenCadence, TellsHowLongPicturesStand) {
  EXPECT_FALSE(UnevenCadence(60, 60));
  EXPECT_FALSE(UnevenCadence(60, 20));
  EXPECT_FALSE(UnevenCadence(59.94, 30)) << "as displays and games have it";
  EXPECT_FALSE(UnevenCadence(30, 60)) << "nothing is left out";
  const auto cadence = UnevenCadence(30, 25);
  ASSERT_TRUE(cadence);
  EXPECT_NEAR(cadence->shortest_ms, 33.3, 0.1);
  EXPECT_NEAR(cadence->longest_ms, 66.7, 0.1);
  EXPECT_NEAR(UnevenCadence(144, 60)->longest_ms, 20.8, 0.1);
}

}  // namespace
}  // namespace kettle
