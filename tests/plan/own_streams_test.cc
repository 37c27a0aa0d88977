// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/own_streams.h"

#include "says.h"
#include "support.h"

namespace kettle {
namespace {

using Names = std::vector<std::string>;

Destination To(const std::string& name, double most_kbps, const std::vector<std::string>& codecs = {"h264"}) {
  Destination destination;
  destination.name = name;
  destination.video_bit_rate_max = BitRate::FromKbps(most_kbps);
  destination.codecs = codecs;
  return destination;
}

// Two destinations behind a line that carries 9000 kbit/s of video and more.
Show TwoDestinations() {
  Show show;
  show.source_size = {1280, 720};
  show.source_rate = {60, 1};
  show.line.readings = {BitRate::FromKbps(15'000)};
  show.destinations = {To("Quayside", 3000), To("Lantern", 6000)};
  show.destinations[0].size_max = FrameSize{960, 540};
  return show;
}

TEST(OwnStreams, EachDestinationKeepsItsOwnLimits) {
  const Show show = TwoDestinations();
  const Targets common = ChooseTargets(show);
  EXPECT_EQ(common.stream.bit_rate.kbps(), 3000) << "the strictest for all";
  const std::vector<OwnStream> own = OwnStreams(show, common);
  ASSERT_EQ(own.size(), 2u);
  EXPECT_EQ(own[0].destinations, Names{"Quayside"});
  EXPECT_EQ(own[0].stream.bit_rate.kbps(), 3000);
  EXPECT_EQ(own[0].sizes.front(), (FrameSize{960, 540}));
  EXPECT_EQ(own[1].stream.bit_rate.kbps(), 6000);
  EXPECT_EQ(own[1].stream.maximum_bit_rate.kbps(), 6000);
  EXPECT_EQ(own[1].sizes.front(), (FrameSize{1280, 720}));
}

TEST(OwnStreams, ThoseThatAskTheSameShareOne) {
  Show show = TwoDestinations();
  show.destinations.push_back(To("Far pier", 6000));
  show.line.readings = {BitRate::FromKbps(40'000)};
  const std::vector<OwnStream> own = OwnStreams(show, ChooseTargets(show));
  ASSERT_EQ(own.size(), 2u);
  EXPECT_EQ(own[1].destinations, (Names{"Lantern", "Far pier"}));
  show.destinations.erase(show.destinations.begin());
  EXPECT_TRUE(OwnStreams(show, ChooseTargets(show)).empty()) << "all ask the same";
}

TEST(OwnStreams, WhatTheLinesDipsLeaveIsTheSamePartForEach) {
  const Show show = TwoDestinations();
  Targets common = ChooseTargets(show);
  common.stream.bit_rate = common.stream.maximum_bit_rate = BitRate::FromKbps(2400);  // of 3000
  EXPECT_EQ(OwnStreams(show, common)[1].stream.bit_rate.kbps(), 4800);
}

TEST(OwnStreams, NobodyGetsMoreBitsThanPay) {
  const Show show = TwoDestinations();
  Targets common = ChooseTargets(show);
  Explain(common, {"stream.bit_rate", "2400 kbit/s", Message{"target.enough-bits"}, true});
  common.stream.bit_rate = common.stream.maximum_bit_rate = BitRate::FromKbps(2400);
  for (const OwnStream& own : OwnStreams(show, common)) EXPECT_EQ(own.stream.bit_rate.kbps(), 2400);
}

TEST(OwnStreams, NoneWhereTheShowWantsOneOrTheLineLeavesTooLittle) {
  Show show = TwoDestinations();
  show.one_encode_for_all = true;
  EXPECT_TRUE(OwnStreams(show, ChooseTargets(show)).empty());
  show.one_encode_for_all = false;
  show.destinations[0].video_bit_rate_max = BitRate::FromKbps(150);
  show.stream_bit_rate = BitRate::FromKbps(3000);
  EXPECT_TRUE(OwnStreams(show, ChooseTargets(show)).empty());
}

TEST(OwnStreams, WhereNoCodecSuitsAllTheStreamIsForTheMostThatShareOne) {
  Show show = TwoDestinations();
  show.line.readings = {BitRate::FromKbps(40'000)};
  show.destinations = {To("Odd", 2000, {"av1"}), To("Quayside", 3000), To("Lantern", 6000, {"h264", "hevc"})};
  const Targets common = ChooseTargets(show);
  EXPECT_EQ(common.served, (Names{"Quayside", "Lantern"}));
  EXPECT_EQ(common.stream_codecs, Names{"h264"});
  EXPECT_EQ(common.stream.bit_rate.kbps(), 3000) << "not the least of all";
  const std::vector<OwnStream> own = OwnStreams(show, common);
  ASSERT_EQ(own.size(), 3u);
  EXPECT_EQ(own[0].codecs, Names{"av1"});
  EXPECT_EQ(own[0].stream.bit_rate.kbps(), 2000);
  EXPECT_EQ(own[2].stream.bit_rate.kbps(), 6000);
}

}  // namespace
}  // namespace kettle
