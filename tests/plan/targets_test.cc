// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/targets.h"

#include "kettle/plan/own_streams.h"
#include "says.h"
#include "support.h"

namespace kettle {
namespace {

using test::Complaint;

Show BasicShow() {
  Show show;
  show.source_size = {1920, 1080};
  show.source_rate = {60, 1};
  show.stream_bit_rate = BitRate::FromKbps(6000);
  return show;
}

Destination Quay() {
  Destination destination;
  destination.name = "Quayside";
  destination.video_bit_rate_max = BitRate::FromKbps(4500);
  destination.size_max = FrameSize{1280, 720};
  destination.frame_rate_max = FrameRate{30, 1};
  destination.keyframe_seconds = 1;
  return destination;
}

std::string Why(const Targets& targets, const std::string& choice) {
  for (const Because& reason : targets.reasons)
    if (reason.choice == choice) return Sentence(reason.why);
  return "";
}

EnoughBits Enough(double kbps) {
  EnoughBits enough{test::SmallSettings("x264", "superfast"), "open-water", {}, kbps, kbps * 0.9, kbps * 1.1};
  return enough;
}

TEST(ApplyEnoughBits, LowersTheStreamAndARecordingThatGoesByIt) {
  const Targets before = ChooseTargets(BasicShow());
  Targets targets = before;
  ApplyEnoughBits(Enough(2980), true, targets);
  EXPECT_EQ(targets.stream.bit_rate, BitRate::FromKbps(3000));
  EXPECT_EQ(targets.stream.maximum_bit_rate, BitRate::FromKbps(3000));
  EXPECT_NEAR(targets.recording.bit_rate.kbps(), before.recording.bit_rate.kbps() / 2, 1);
  EXPECT_THAT(Why(targets, "stream.bit_rate"), testing::HasSubstr("would take 6000 kbit/s"));
  targets = before;
  ApplyEnoughBits(Enough(2980), false, targets);
  EXPECT_EQ(targets.recording.bit_rate, before.recording.bit_rate) << "the show's own";
}

TEST(ApplyEnoughBits, NeverRaises) {
  const Targets before = ChooseTargets(BasicShow());
  Targets targets = before;
  ApplyEnoughBits(Enough(7000), true, targets);
  EXPECT_EQ(targets.stream, before.stream);
  EnoughBits unknown = Enough(0);
  unknown.kbps.reset();
  ApplyEnoughBits(unknown, true, targets);
  EXPECT_EQ(targets.stream, before.stream);
}

TEST(Targets, TheShowsWishesComeFirst) {
  const Targets targets = ChooseTargets(BasicShow());
  EXPECT_EQ(targets.stream.size, (FrameSize{1920, 1080}));
  EXPECT_EQ(targets.stream.bit_rate, BitRate::FromKbps(6000));
  EXPECT_EQ(targets.stream.maximum_bit_rate, targets.stream.bit_rate) << "constant bit rate";
  EXPECT_EQ(targets.stream.keyframe_seconds, 2);
  EXPECT_EQ(Why(targets, "stream.bit_rate"), "set in the show");
}

TEST(Targets, DestinationsLimitWhatTheShowLeavesOpen) {
  Show show = BasicShow();
  show.stream_bit_rate.reset();
  show.destinations = {Quay()};
  const Targets targets = ChooseTargets(show);
  EXPECT_EQ(targets.stream.size, (FrameSize{1280, 720}));
  EXPECT_EQ(targets.stream.frame_rate, (FrameRate{30, 1}));
  EXPECT_EQ(targets.stream.bit_rate, BitRate::FromKbps(4500));
  EXPECT_EQ(targets.stream.keyframe_seconds, 1);
  EXPECT_THAT(Why(targets, "stream.bit_rate"), testing::HasSubstr("Quayside"));
  EXPECT_EQ(targets.recording.size, (FrameSize{1920, 1080})) << "the recording keeps the source's size";
  EXPECT_EQ(targets.recording.frame_rate, (FrameRate{60, 1}));
}

TEST(Targets, TheLineIsNotSpentWhole) {
  Show show = BasicShow();
  show.stream_bit_rate.reset();
  show.line.readings = {BitRate::FromKbps(11800), BitRate::FromKbps(9900)};
  show.reserve = {{"game", BitRate::FromKbps(300)}};
  const Targets targets = ChooseTargets(show);
  ASSERT_TRUE(targets.budget);
  EXPECT_EQ(targets.stream.bit_rate.kbps(), targets.budget->one_encode_kbps());
  EXPECT_LT(targets.stream.bit_rate.kbps(), 9900 * 0.9 - 300);
  EXPECT_THAT(Why(targets, "stream.bit_rate"), testing::HasSubstr("the low end of your 2 readings"));
}

TEST(Targets, AWishAboveTheLineIsQuestioned) {
  Show show = BasicShow();
  show.line.readings = {BitRate::FromKbps(6500)};
  const Targets targets = ChooseTargets(show);
  EXPECT_EQ(targets.stream.bit_rate, BitRate::FromKbps(6000));
  EXPECT_THAT(targets.warnings, testing::Contains(test::Says("more than your uplink has room for")));
}

TEST(LittleForItsSize, TellsOfThePictureThatIsTaken) {
  EncodeSettings stream = test::SmallSettings();
  stream.size = {1920, 1080};
  stream.frame_rate = {60, 1};
  stream.bit_rate = BitRate::FromKbps(4500);
  EXPECT_THAT(
      LittleForItsSize(stream, false).value(),
      testing::AllOf(test::Says("4500 kbit/s is low for 1920x1080 at 60"), test::Says("leave stream.size out")));
  EXPECT_THAT(LittleForItsSize(stream, true).value(), testing::Not(test::Says("stream.size")));
  stream.size = {960, 540};
  EXPECT_FALSE(LittleForItsSize(stream, true)) << "with a size that was searched, of that size";
}

TEST(Targets, TheRecordingHasMoreBitsAndMayBurst) {
  const Targets targets = ChooseTargets(BasicShow());
  EXPECT_EQ(targets.recording.bit_rate, BitRate::FromKbps(18000));
  EXPECT_EQ(targets.recording.rate_control, RateControl::kCappedVariable);
  EXPECT_GT(targets.recording.maximum_bit_rate, targets.recording.bit_rate);
}

TEST(Targets, AnUplinkThatCarriesNoStreamIsRefused) {
  Show show = BasicShow();
  show.stream_bit_rate.reset();
  show.line.readings = {BitRate::FromKbps(300)};
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ChooseTargets(show); }), testing::HasSubstr("leave too little"));
}

RateChoice Found(RateControl kind, double ratio, double highest) {
  RateControlAnswer answer;
  answer.sample = {kind, ratio, 2, 3000, {}};
  answer.highest_kbps = highest;
  return {{answer}, 6000, 5000, 0.001};
}

TEST(Targets, TheLinesAnswerSetsTheRateControlAndLowersTheRate) {
  Targets targets = ChooseTargets(BasicShow());
  targets.stream.bit_rate = BitRate::FromKbps(5000);
  ApplyRateChoice(Found(RateControl::kCappedVariable, 1.25, 4000), true, targets);
  EXPECT_EQ(targets.stream.bit_rate, BitRate::FromKbps(4000));
  EXPECT_EQ(targets.stream.maximum_bit_rate, BitRate::FromKbps(5000));
  EXPECT_EQ(targets.stream.rate_control, RateControl::kCappedVariable);
  EXPECT_EQ(targets.stream.buffer_seconds, 2);
  EXPECT_THAT(Why(targets, "stream.bit_rate"), testing::HasSubstr("dips"));
  EXPECT_THAT(Why(targets, "stream.rate_control"), testing::HasSubstr("predicted"));
}

TEST(Targets, TheLinesAnswerLeavesAWishAndTellsOfAHopelessLine) {
  Targets targets = ChooseTargets(BasicShow());
  ApplyRateChoice(Found(RateControl::kConstantBitRate, 1, 4000), false, targets);
  EXPECT_EQ(targets.stream.bit_rate, BitRate::FromKbps(6000)) << "the show asked for it";
  const EncodeSettings before = targets.stream;
  ApplyRateChoice(Found(RateControl::kConstantBitRate, 1, 0), true, targets);
  EXPECT_EQ(targets.stream, before);
  EXPECT_THAT(targets.warnings, testing::Contains(test::Says("no rate control gets through this uplink")));
}

TEST(Targets, WithoutAnUplinkTheUsualRateIsTakenAndTold) {
  Show show = BasicShow();
  show.stream_bit_rate.reset();
  EXPECT_EQ(ChooseTargets(show).stream.bit_rate, BitRate::FromKbps(6000)) << "no more than destinations take";
  show.source_size = {1280, 720};
  show.source_rate = {30, 1};
  const Targets targets = ChooseTargets(show);
  EXPECT_EQ(targets.stream.bit_rate, BitRate::FromKbps(2800));
  EXPECT_THAT(Why(targets, "stream.bit_rate"), testing::HasSubstr("usual for that picture"));
  EXPECT_THAT(targets.warnings, testing::Contains(test::Says("nothing says what your uplink carries")));
}

TEST(Targets, OnlyWhatEveryDestinationTakesIsACandidate) {
  Show show = BasicShow();
  show.stream_bit_rate = BitRate::FromKbps(4000);
  Destination picky = Quay();
  picky.sizes = {{1280, 720}, {852, 480}};
  picky.frame_rates = {{30, 1}};
  picky.b_frames_max = 1;
  show.destinations = {picky};
  const Targets targets = ChooseTargets(show);
  EXPECT_EQ(targets.sizes, (std::vector<FrameSize>{{1280, 720}, {852, 480}}));
  EXPECT_EQ(targets.rates, (std::vector<FrameRate>{{30, 1}}));
  EXPECT_EQ(targets.stream.b_frames, 1);
  EXPECT_EQ(targets.most_b_frames, 1) << "trying others keeps to it";
  EXPECT_EQ(Why(targets, "stream.b_frames"), "Quayside accepts no more consecutive B-frames");
  EXPECT_EQ(targets.stream.size, (FrameSize{1280, 720}));
  EXPECT_EQ(targets.taken_sizes, targets.sizes);

  Destination other = Quay();
  other.name = "Lantern";
  other.sizes = {{960, 540}, {852, 480}};
  show.destinations = {picky, other};
  EXPECT_EQ(ChooseTargets(show).sizes, (std::vector<FrameSize>{{852, 480}})) << "both must take it";
  other.sizes = {{3840, 2160}};
  show.destinations = {other};
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ChooseTargets(show); }),
              testing::HasSubstr("Lantern accepts only these sizes: 3840x2160"));
  show.destinations = {picky};
  show.stream_size = FrameSize{960, 540};
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ChooseTargets(show); }), testing::HasSubstr("asks for 960x540"));
  show.stream_size = FrameSize{852, 480};
  EXPECT_EQ(ChooseTargets(show).sizes, (std::vector<FrameSize>{{852, 480}}));
  show.stream_size.reset();
  picky.frame_rates = {{50, 1}};
  show.destinations = {picky};
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ChooseTargets(show); }), testing::HasSubstr("only these frame rates: 50"));
}

TEST(Targets, TheStreamsCodecsAreThoseThatEveryDestinationAccepts) {
  Show show = BasicShow();
  EXPECT_EQ(ChooseTargets(show).stream_codecs, std::vector<std::string>{"h264"});
  Destination modern = Quay();
  modern.codecs = {"av1", "h264", "hevc"};
  show.destinations = {modern};
  EXPECT_EQ(ChooseTargets(show).stream_codecs, (std::vector<std::string>{"h264", "hevc", "av1"}));
  modern.ingests = {{"only", "srt://127.0.0.1:9000"}};
  show.destinations = {modern};
  EXPECT_EQ(ChooseTargets(show).stream_codecs, (std::vector<std::string>{"h264", "hevc"})) << "SRT carries no AV1";
  Destination odd = Quay();
  odd.name = "Odd";
  odd.codecs = {"av1"};
  show.destinations = {odd, Quay()};
  show.one_encode_for_all = true;
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ChooseTargets(show); }), testing::HasSubstr("Odd av1; Quay"));
}

// Two of three take the same size, two others the same frame rate: the most that one encode serves come first.
TEST(Targets, DestinationsWithoutACommonPictureAreServedApart) {
  Show show = BasicShow();
  Destination near = Quay(), far = Quay(), odd = Quay();
  near.name = "Near";
  near.sizes = {{1280, 720}, {640, 360}};
  far.name = "Far";
  far.sizes = {{640, 360}};
  odd.name = "Odd";
  odd.sizes = {{960, 540}};
  show.destinations = {odd, near, far};
  const Targets targets = ChooseTargets(show);
  EXPECT_EQ(targets.served, (std::vector<std::string>{"Near", "Far"}));
  EXPECT_EQ(targets.lacking, "size");
  EXPECT_EQ(targets.sizes, (std::vector<FrameSize>{{640, 360}}));
  const std::vector<OwnStream> own = OwnStreams(show, targets);
  ASSERT_EQ(own.size(), 3U);
  EXPECT_EQ(own[0].sizes, (std::vector<FrameSize>{{960, 540}}));
  EXPECT_EQ(own[1].sizes, (std::vector<FrameSize>{{1280, 720}, {640, 360}}));

  show.one_encode_for_all = true;
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ChooseTargets(show); }),
              testing::HasSubstr("no size suits all: Odd 960x540; Near 1280x720, 640x360; Far 640x360"));
  show.one_encode_for_all = false;
  near.sizes = far.sizes = {};
  far.frame_rates = {{25, 1}};
  near.frame_rates = {{30, 1}};
  show.destinations = {near, far};
  EXPECT_EQ(ChooseTargets(show).lacking, "frame rate");
  EXPECT_EQ(ChooseTargets(show).served, std::vector<std::string>{"Near"});
  far.size_max = FrameSize{640, 360};
  far.frame_rates = near.frame_rates;
  near.sizes = {{1280, 720}};
  show.destinations = {near, far};
  EXPECT_EQ(ChooseTargets(show).lacking, "size") << "a limit below the only size that another takes";
}

TEST(UnevenPictures, AreToldWhereARateDoesNotDivideTheSources) {
  EXPECT_FALSE(UnevenPictures({60, 1}, {30, 1}));
  EXPECT_THAT(UnevenPictures({30, 1}, {25, 1}).value(), test::Says("33 to 67 ms"));
}

}  // namespace
}  // namespace kettle
