// SPDX-License-Identifier: Apache-2.0
#include "figure/trade_figure.h"

#include <fstream>

#include "fakes.h"

namespace kettle {
namespace {

class TradeFigureTest : public test::FolderTest {
 protected:
  static TradePoint Own(FrameSize size, double stream, std::optional<double> recording) {
    TradePoint point;
    point.size = size;
    point.rate = {60, 1};
    point.stream_score = stream;
    point.recording_score = recording;
    return point;
  }
  static Plan SomePlan() {
    Plan plan;
    TradePoint one = Own({854, 480}, 60, 60);
    one.one_encode = true;
    plan.trade = {one, Own({1920, 1080}, 51, 80), Own({1280, 720}, 59, 66), Own({960, 540}, 60, std::nullopt)};
    plan.trade[1].why = Message{"trade.failed-proof"};
    plan.trade[2].taken = true;
    return plan;
  }
};

TEST_F(TradeFigureTest, ShowsEachWayThatHasBothScores) {
  const auto chart = MakeTradeChart(SomePlan());
  ASSERT_TRUE(chart);
  EXPECT_EQ(chart->points.size(), 3u);
  EXPECT_EQ(chart->least_stream_score, 58) << "2 points below the stream alone";
  Draw(path(""), *chart);
  std::ifstream file(path("trade.svg"));
  const std::string svg{std::istreambuf_iterator<char>(file), {}};
  for (const char* words : {"Recording 1280x720 at 60 beside the stream", "1280x720 at 60  (taken)",
                            "1920x1080 at 60  (refused)", "own encode", "the stream keeps at least this"})
    EXPECT_THAT(svg, testing::HasSubstr(words));
}

TEST_F(TradeFigureTest, WithoutAChoiceThereIsNone) {
  Plan plan = SomePlan();
  plan.trade[2].taken = false;
  EXPECT_FALSE(MakeTradeChart(plan)) << "nothing was taken";
  plan = SomePlan();
  plan.trade.resize(1);
  EXPECT_FALSE(MakeTradeChart(plan));
}

}  // namespace
}  // namespace kettle
