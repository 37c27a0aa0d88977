// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/finalists.h"

#include <cmath>

#include "fakes.h"
#include "kettle/search/candidates.h"

namespace kettle {
namespace {

// A machine on which everything keeps pace. Of both stretches of a clip the picture looks best at some number of lines:
// few in the busiest, many in the calmest.
class StretchRunner final : public TrialRunner {
 public:
  StretchRunner(double busiest_lines, double calmest_lines)
      : busiest_lines_(busiest_lines), calmest_lines_(calmest_lines) {}

  Trial Run(const TrialRequest& request) override {
    Trial trial = test::DoneTrial(request, 1000);
    const bool calm = request.footage.label == "clip, calmest";
    calm_trials += calm;
    const double lines = std::log2(request.settings.size.height / (calm ? calmest_lines_ : busiest_lines_));
    trial.quality = test::QualityOf((calm ? 80 : 50) - 20 * lines * lines);
    return trial;
  }

  int calm_trials = 0;

 private:
  double busiest_lines_, calmest_lines_;
};

class FinalistsTest : public testing::Test {
 protected:
  // Searched, then ranked by both stretches.
  std::vector<TriedPicture> Rank(StretchRunner& runner, bool has_calm = true) {
    TrialBook book(runner, {}, [](const auto&) {});
    std::map<std::string, Footage> calm;
    if (has_calm) calm.emplace("clip", test::FakeFootage("clip, calmest"));
    OptionBook options(book, {test::FakeFootage("clip")}, 0.2, 0, {}, calm);
    const SearchSpace space{test::SmallSettings(), CandidateSizes({1280, 720}), {{60, 1}}, {"x264"}};
    std::vector<TriedPicture> searched = SearchPicture(space, options);
    by_busiest_ = searched.front().size.height;
    return RankFinalists(std::move(searched), options);
  }

  int by_busiest_ = 0;
};

TEST_F(FinalistsTest, BothStretchesCountHalfEach) {
  StretchRunner runner(504, 720);
  const auto ranked = Rank(runner);
  EXPECT_EQ(by_busiest_, 504);
  EXPECT_EQ(ranked.front().size.height, 576) << "between 504 and 720, on a scale of ratios: 602";
  const Option& best = *ranked.front().best;
  EXPECT_DOUBLE_EQ(best.score, (best.busiest_score() + best.calmest_score()) / 2);
  EXPECT_GT(best.calmest_score(), best.busiest_score());
}

TEST_F(FinalistsTest, OnlyWhatComesNearIsMeasuredInTheCalmestToo) {
  StretchRunner runner(504, 504);
  const auto ranked = Rank(runner);
  EXPECT_EQ(ranked.front().size.height, 504);
  EXPECT_EQ(runner.calm_trials, 3) << "the best and a neighbour on each side";
  EXPECT_FALSE(ranked[2].best->calm.empty());
  EXPECT_TRUE(ranked[3].best->calm.empty()) << "what was not measured whole comes after what was";
}

TEST_F(FinalistsTest, WithoutACalmStretchTheOrderStays) {
  StretchRunner runner(504, 720);
  EXPECT_EQ(Rank(runner, false).front().size.height, 504);
  EXPECT_EQ(runner.calm_trials, 0);
}

}  // namespace
}  // namespace kettle
