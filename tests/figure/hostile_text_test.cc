// SPDX-License-Identifier: Apache-2.0
// A folder of results may be a stranger's: whatever its texts are, a figure shows them and runs nothing.
#include <nlohmann/json.hpp>

#include "fakes.h"
#include "figure/capacity_figure.h"
#include "figure/figure_folder.h"
#include "figure/figures.h"
#include "figure/pictures_figure.h"
#include "figure/plot.h"
#include "figure/rate_quality.h"
#include "figure/trade_figure.h"
#include "figure/uplink_figures.h"
#include "timeline/rehearsal_figures.h"
#include "timeline/watch_figure.h"

namespace kettle {
namespace {

class HostileTextTest : public test::FolderTest {
 protected:
  HostileTextTest() : figures_(path(""), {"test", "machine", "2026-11-27T00:00:00Z"}) {}

  // Every way out of a gnuplot string, with a command that would leave a file.
  std::string Hostile(const std::string& figure) const {
    const std::string run = "touch " + path("ran-" + figure).string();
    return "`" + run + "` $(" + run + ") \"`" + run + "`\" '`" + run + "`' @macro {^_} %s %g \\n \\\" \n!" + run +
           "\nsystem(\"" + run + "\")\n#; ' . system(\"" + run + "\") . '";
  }
  void Spoil(nlohmann::json& json, const std::string& text) const {
    if (json.is_string()) json = text;
    if (json.is_structured())
      for (auto& inner : json) Spoil(inner, text);
  }
  // The chart, kept with that text in place of each of its own, then drawn as `redraw` does.
  void KeepSpoilt(const std::string& name, nlohmann::json chart) const {
    Spoil(chart, Hostile(name));
    if (chart.contains("rows"))  // frame rates are text in JSON, and no text at all
      for (auto& row : chart["rows"]) row["rate"] = "60";
    figures_.Keep(name, chart);
  }
  FigureFolder figures_;
};

TEST_F(HostileTextTest, NoFigureRunsAnything) {
  KeepSpoilt("capacity", CapacityChart{"", "", 0.2, {{"", {{"", 0.4, ""}, {"", 0.01, ""}}, ""}}});
  KeepSpoilt("game", GameFrames{30, 30, 22.5, 25, 18, {30, 30, 23, 30}, 1, 3});
  KeepSpoilt("line", LineChart{"", "", 8000, 5000, {8000, 7000}, {{"", {2500, 2600}}}});
  KeepSpoilt("queue-delay", QueueDelayChart{"", 1.5, 0.4, {{"", {0.1, 0.4}}}});
  KeepSpoilt("pictures", PicturesChart{"", "", {{"", {60, 1}, 17, true}, {"", {30, 1}, 12}}});
  KeepSpoilt("rate-quality", RateQualityChart{"", "", 3000, {1500, 3000}, {{"", {1500, 3000}, {12, 14}, 0}}, {}});
  RehearsalSecond second;
  second.skipped_stream = 1;
  KeepSpoilt("rehearsal", RehearsalChart{"", "", 2, 3000, std::vector<RehearsalSecond>(3, second)});
  KeepSpoilt("speed-quality", SpeedQualityChart{"", "", 60, 0.2, {{"", {{"", 90, 14, true}, {"", 40, 15}}}}, {}});
  KeepSpoilt("proof-times", ProofTimesChart{"", "", 1, 16.7, 500, {{0, 0.5}, {2, -1}}, {{0, 0.5}, {3, 4}}});
  KeepSpoilt("soak", SoakChart{"", "", "", 2, 75, 120, 118, {0, 1}, {120, 118}});
  TradeChart trade;
  trade.points = {{"", 40, 60, true}, {"", 45, 50, false, true}};
  KeepSpoilt("trade", trade);
  WatchChart watch;
  watch.cpu_cores = 2;
  watch.seconds.resize(3);
  watch.troubles = {{"", 0, 2}};
  KeepSpoilt("watch", watch);
  EXPECT_EQ(DrawAgain(path("")).size(), 12u) << "every figure that there is";
  for (const auto& entry : std::filesystem::directory_iterator(path("")))
    EXPECT_FALSE(entry.path().filename().string().starts_with("ran-")) << entry.path();
}

TEST_F(HostileTextTest, IsShownAsItIs) {
  figures_.Keep("soak", SoakChart{"it's `here` @x $(y)", "below", "", 2, 75, 120, 118, {0, 1}, {120, 118}});
  DrawAgain(path(""));
  EXPECT_THAT(Get(path("soak.svg")), testing::HasSubstr("it's `here` @x $(y)"));
}

// A folder may be called anything: what begins with | or < would be a command to gnuplot.
TEST_F(HostileTextTest, AFoldersNameIsNoCommand) {
  const auto before = std::filesystem::current_path();
  std::filesystem::current_path(path(""));
  const std::string name = "|touch ran-by-name #`touch ran-by-name`'";
  std::filesystem::create_directories(name);
  Draw(name, GameFrames{30, 30, 22.5, 25, 18, {30, 30, 23, 30}, 1, 3});
  std::filesystem::current_path(before);
  EXPECT_TRUE(std::filesystem::exists(path("") / name / "game.svg"));
  EXPECT_FALSE(std::filesystem::exists(path("ran-by-name")));
}

}  // namespace
}  // namespace kettle
