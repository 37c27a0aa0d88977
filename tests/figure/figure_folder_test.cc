// SPDX-License-Identifier: Apache-2.0
#include "figure/figure_folder.h"

#include <nlohmann/json.hpp>

#include "fakes.h"
#include "figure/capacity_figure.h"
#include "figure/figures.h"
#include "figure/pictures_figure.h"
#include "figure/rate_quality.h"
#include "figure/uplink_figures.h"
#include "timeline/rehearsal_figures.h"

namespace kettle {
namespace {

using testing::HasSubstr;

class FigureFolderTest : public test::FolderTest {
 protected:
  FigureFolderTest() : figures_(path(""), {"test", "machine", "2026-11-27T00:00:00Z"}) {}
  template <class Chart>
  void DrawOnce(const Chart& chart) {
    figures_.Keep(Chart::kName, chart);
    Draw(path(""), chart);
  }
  // What of an SVG is drawn; gnuplot's own comments may hold times.
  std::string Svg(const std::string& name) const { return Get(path(name + ".svg")); }
  FigureFolder figures_;
};

TEST_F(FigureFolderTest, EveryChartIsDrawnAgainAsItWas) {
  DrawOnce(CapacityChart{"A title", "below", 0.2, {{"2 processors", {{"stream", 0.4, "#0072b2"}}, "0.6 left"}}});
  DrawOnce(GameFrames{30, 30, 22.5, 25, 18, {30, 30, 23, 30}, 1, 3});
  DrawOnce(LineChart{"A line", "below", 8000, 5000, {8000, 7000}, {{"constant", {2500, 2600}}}});
  DrawOnce(QueueDelayChart{"A queue", 1.5, 0.4, {{"constant", {0.1, 0.4}}}});
  DrawOnce(PicturesChart{"Sizes", "below", {{"640x360 at 60", {60, 1}, 17, true}, {"426x240 at 30", {30, 1}, 12}}});
  DrawOnce(RateQualityChart{"Which?", "below", 3000, {1500, 3000}, {{"a", {1500, 3000}, {12, 14}, 0}}, {}});
  DrawOnce(RehearsalChart{"It holds", "below", 2, 3000, std::vector<RehearsalSecond>(3)});
  DrawOnce(SpeedQualityChart{"Speed", "below", 60, 0.2, {{"x264", {{"fast", 90, 14, true}, {"slow", 40, 15}}}}, {}});
  DrawOnce(ProofTimesChart{"Both", "below", 1, 16.7, 500, {{0, 0.5}, {2, -1}}, {{0, 0.5}, {3, 4}}});
  DrawOnce(SoakChart{"Steady", "below", "needed: 75", 2, 75, 120, 118, {0, 1}, {120, 118}});
  const std::vector<std::string> names{"capacity",    "game",         "line",      "pictures", "proof-times",
                                       "queue-delay", "rate-quality", "rehearsal", "soak",     "speed-quality"};
  std::map<std::string, std::string> before;
  for (const std::string& name : names) {
    before[name] = Svg(name);
    std::filesystem::remove(path(name + ".svg"));
    std::filesystem::remove(path(name + ".png"));
  }
  EXPECT_THAT(DrawAgain(path("")), testing::UnorderedElementsAreArray(names));
  for (const std::string& name : names) {
    EXPECT_TRUE(Svg(name) == before[name]) << name;
    EXPECT_GT(std::filesystem::file_size(path(name + ".png")), 1000u) << name;
  }
}

TEST_F(FigureFolderTest, ALaterChartTakesTheEarliersPlace) {
  figures_.Keep("game", GameFrames{30, 30, 22.5, 25, 18, {30, 23}, 1, 3});
  figures_.Keep("game", GameFrames{60, 60, 60, 55, 55, {60, 59}, 1, 3});
  EXPECT_EQ(DrawAgain(path("")), std::vector<std::string>{"game"});
  EXPECT_TRUE(Svg("game").find("wanted: 60") != std::string::npos);
}

TEST_F(FigureFolderTest, WhatCannotBeReadIsSaidAndWhatIsUnknownLeftAlone) {
  EXPECT_TRUE(DrawAgain(path("")).empty()) << "no such file";
  figures_.Keep("tide-table", {{"rows", 3}});
  EXPECT_TRUE(DrawAgain(path("")).empty());
  figures_.Keep("soak", {{"title", 3}});
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { DrawAgain(path("")); }), HasSubstr("incomplete figures.json"));
  figures_.Keep("soak", nullptr);
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { DrawAgain(path("")); }), HasSubstr("incomplete figures.json"));
}

TEST_F(FigureFolderTest, AnEmptyChartIsAnIncompleteFile) {
  figures_.Keep("pictures", PicturesChart{"Sizes", "below", {}});
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { DrawAgain(path("")); }), HasSubstr("incomplete figures.json"));
}

}  // namespace
}  // namespace kettle
