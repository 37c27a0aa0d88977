// SPDX-License-Identifier: Apache-2.0
#include "figure/uplink_figures.h"

#include "support.h"

namespace kettle {
namespace {

using testing::HasSubstr;

class UplinkFiguresTest : public test::FolderTest {
 protected:
  static RateChoice Choice() {
    RateControlAnswer answer;
    answer.sample.asked_kbps = 3000;
    answer.sample.stream.seconds = 2;
    for (int i = 0; i < 60; ++i) answer.sample.stream.frames.push_back({i / 30.0, i < 30 ? 10000 : 15000, i == 0});
    answer.highest_kbps = 3000;
    return {{answer}, 5000, 2500, 0.001};
  }
  static DelayCurve Curve(const std::string& name, int dropped) {
    SendingOutcome outcome{.frames = 900, .dropped = dropped, .peak_delay_seconds = 1.7};
    outcome.delay_by_second = {0.1, 1.7, 0.1};
    return {name, outcome};
  }
  std::string Svg(const std::string& name) const { return Get(path(name + ".svg")); }
};

TEST_F(UplinkFiguresTest, TheLinesTitleIsItsAnswer) {
  const LineTrace line = LineTrace::Steady(8000, 60);
  const Budget budget = MakeBudget({LinkKind::kWired, {}, line}, {}, {}, 30);
  Draw(path(""), MakeLineChart(line, budget, Choice()));
  EXPECT_THAT(Svg("line"), HasSubstr("Your uplink carries 8.0 Mbit/s; 2.5 Mbit/s of it may be video"));
  EXPECT_THAT(Svg("line"), HasSubstr("budget for all that is sent"));
  EXPECT_THAT(Svg("line"), HasSubstr("video, constant bit rate, 1 s buffer: 2.0 to 3.0 Mbit/s"));
  EXPECT_GT(std::filesystem::file_size(path("line.png")), 1000u);
}

TEST_F(UplinkFiguresTest, ALongLineShowsTheRangeOfTheEncode) {
  const LineTrace line = LineTrace::Steady(8000, 600);
  Draw(path(""), MakeLineChart(line, MakeBudget({LinkKind::kWired, {}, line}, {}, {}, 30), Choice()));
  EXPECT_THAT(Svg("line"), HasSubstr("2.0 to 3.0 Mbit/s"));
}

TEST_F(UplinkFiguresTest, TheDelaysTitleSaysWhetherTheRateControlMatters) {
  Draw(path(""), MakeQueueDelayChart({Curve("constant", 10), Curve("variable", 300)}, 3000, 1.5));
  EXPECT_THAT(Svg("queue-delay"), HasSubstr("At 3000 kbit/s the rate control decides: 10 to 300 frames dropped"));
  Draw(path(""), MakeQueueDelayChart({Curve("constant", 100), Curve("variable", 102)}, 3000, 1.5));
  EXPECT_THAT(Svg("queue-delay"), HasSubstr("102 frames are dropped, whatever the rate control"));
  Draw(path(""), MakeQueueDelayChart({Curve("constant", 0), Curve("variable", 0)}, 3000, 1.5));
  EXPECT_THAT(Svg("queue-delay"), HasSubstr("no rate control drops a frame"));
  EXPECT_THAT(Svg("queue-delay"), HasSubstr("older frames are dropped"));
}

}  // namespace
}  // namespace kettle
