// SPDX-License-Identifier: Apache-2.0
#include "report/quality_csv.h"

#include <algorithm>

#include "support.h"

namespace kettle {
namespace {

Trial TrialOf(const std::string& preset, int frames) {
  Trial trial;
  trial.settings = test::SmallSettings("x264", preset);
  trial.footage = "a \"quick\" turn";
  trial.footage_key = "turn-1";
  trial.picture_metrics.assign(static_cast<std::size_t>(frames), PictureMetrics{1, 2, 3, 0.9, 0.95, 0.5});
  return trial;
}

class QualityCsvTest : public test::FolderTest {
 protected:
  long Rows() const {
    const std::string text = Get(path("quality.csv"));
    return std::count(text.begin(), text.end(), '\n') - 1;
  }
};

TEST_F(QualityCsvTest, ARowForEveryTrialAndFrame) {
  QualityCsv csv(path("quality.csv"));
  csv.Keep({TrialOf("fast", 3), TrialOf("slow", 2)});
  EXPECT_EQ(Rows(), 5);
  const std::string text = Get(path("quality.csv"));
  EXPECT_THAT(text, testing::StartsWith("trial,footage,encoder,preset,"));
  EXPECT_THAT(text, testing::HasSubstr(TrialOf("fast", 1).id() +
                                       ",\"a \"\"quick\"\" turn\",x264,fast,192x128,25,400,0,48.131"));
}

TEST_F(QualityCsvTest, RowsOfAnEarlierRunStayWithTheirTrials) {
  QualityCsv(path("quality.csv")).Keep({TrialOf("fast", 3), TrialOf("slow", 2)});
  QualityCsv later(path("quality.csv"));
  later.Keep({TrialOf("fast", 0), TrialOf("medium", 4)});  // read from bench.json: without its frames
  EXPECT_EQ(Rows(), 7);
  EXPECT_THAT(Get(path("quality.csv")), testing::Not(testing::HasSubstr(",slow,")));
}

TEST_F(QualityCsvTest, AFileOfAnotherMakeCountsAsEmpty) {
  Put("quality.csv", "something,else\n1,2\n");
  QualityCsv(path("quality.csv")).Keep({TrialOf("fast", 3)});
  EXPECT_EQ(Rows(), 3);
}

}  // namespace
}  // namespace kettle
