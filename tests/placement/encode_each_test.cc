// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/encode_each.h"

#include <nlohmann/json.hpp>

#include "fakes.h"

namespace kettle {
namespace {

using test::FakeOption;

// x264 presets whose cost and looks grow together.
EachCandidates For(const std::vector<std::string>& destinations, double bonus) {
  return {destinations,
          {FakeOption("x264", "medium", 100, 0.9, 60 + bonus), FakeOption("x264", "veryfast", 200, 0.5, 55 + bonus),
           FakeOption("x264", "ultrafast", 400, 0.2, 40 + bonus)}};
}

TEST(PlaceEach, TakesWhatLooksBestInTheMeanOfAllThatFits) {
  const Capacity capacity{2, 0.2};  // 1.6 cores
  const auto pair = PlaceEach({For({"Quayside"}, 0), For({"Lantern", "Far pier"}, 10)}, std::nullopt, capacity);
  ASSERT_TRUE(pair);
  EXPECT_EQ(pair->destinations, (std::vector<std::string>{"Lantern", "Far pier"})) << "the best looking comes first";
  EXPECT_EQ(pair->stream.settings.preset, "medium") << "two destinations count twice";
  ASSERT_EQ(pair->further.size(), 1u);
  EXPECT_EQ(pair->further[0].option.settings.preset, "veryfast");
  EXPECT_TRUE(pair->one_encode);
  EXPECT_NEAR(MeanScore(*pair), (70 * 2 + 55) / 3.0, 1e-9);
  EXPECT_NEAR(pair->demand.cpu_cores, 1.4, 1e-9);
  EXPECT_EQ(StreamTitles(*pair), "x264 medium + x264 veryfast");
}

TEST(PlaceEach, LeavesTheRecordingItsShare) {
  const Capacity capacity{2, 0.2};
  const Option recording = FakeOption("x264", "ultrafast", 300, 0.8, 75);
  const auto pair = PlaceEach({For({"Quayside"}, 0), For({"Lantern"}, 10)}, recording, capacity);
  ASSERT_TRUE(pair);
  EXPECT_FALSE(pair->one_encode);
  EXPECT_NEAR(pair->demand.cpu_cores, 1.5, 1e-9);
  EXPECT_FALSE(PlaceEach({For({"Quayside"}, 0), For({"Lantern"}, 10)}, recording, {1, 0.2}));
}

TEST(PlaceEach, OfThoseThatLookAlikeTheLightestIsTaken) {
  EachCandidates alike = For({"Quayside"}, 0);
  alike.options[1].score = 59.8;
  const auto pair = PlaceEach({alike, For({"Lantern"}, 10)}, std::nullopt, {8, 0.2});
  ASSERT_TRUE(pair);
  EXPECT_EQ(pair->further[0].option.settings.preset, "veryfast");
}

TEST(PlaceEach, OnlyWhatMayBeRecordedIs) {
  EachCandidates hevc = For({"Lantern"}, 20);
  for (Option& option : hevc.options) option.settings.encoder = "x265";
  const auto is_h264 = [](const Option& option) { return option.settings.encoder == "x264"; };
  const auto pair = PlaceEach({For({"Quayside"}, 0), hevc}, std::nullopt, {8, 0.2}, is_h264);
  ASSERT_TRUE(pair);
  EXPECT_EQ(pair->recording.settings.encoder, "x264") << "though the other looks better";
  EXPECT_FALSE(PlaceEach({hevc}, std::nullopt, {8, 0.2}, is_h264));
  EXPECT_TRUE(PlaceEach({hevc}, For({}, 0).options.back(), {8, 0.2}, is_h264)) << "a recording of its own";
}

TEST(PlaceEach, NothingWhereOneHasNothing) {
  EXPECT_FALSE(PlaceEach({For({"Quayside"}, 0), {{"Lantern"}, {}}}, std::nullopt, {8, 0.2}));
}

}  // namespace
}  // namespace kettle
