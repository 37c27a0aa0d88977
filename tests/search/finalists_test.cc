// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/finalists.h"

#include <algorithm>
#include <cmath>

#include "fakes.h"
#include "kettle/option/with_encoder.h"
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

TEST_F(FinalistsTest, ASmallerSizeThatIsBehindWhenBusyIsNotMeasuredInTheCalmest) {
  StretchRunner runner(900, 900);
  const auto ranked = Rank(runner);
  EXPECT_EQ(ranked.front().size.height, 720);
  EXPECT_EQ(runner.calm_trials, 1) << "the next size, of 648 lines, looks two points worse";
}

// 60 frames a second look `lost` points worse than 30.
class ByRateRunner final : public TrialRunner {
 public:
  explicit ByRateRunner(double lost) : lost_(lost) {}
  Trial Run(const TrialRequest& request) override {
    Trial trial = test::DoneTrial(request, 1000);
    trial.quality = test::QualityOf(request.settings.frame_rate.fps() > 45 ? 50 - lost_ : 50);
    return trial;
  }

 private:
  double lost_;
};

TEST(Finalists, OfThoseThatLookAlikeTheOneWithMoreFramesComesFirst) {
  const auto best_rate = [](double lost) {
    ByRateRunner runner(lost);
    TrialBook book(runner, {}, [](const auto&) {});
    OptionBook options(book, {test::FakeFootage("clip")}, 0.2);
    const SearchSpace space{test::SmallSettings(), {{640, 360}}, {{60, 1}, {30, 1}}, {"x264"}};
    return RankFinalists(SearchPicture(space, options), options).front().rate.fps();
  };
  EXPECT_EQ(best_rate(0.2), 60);
  EXPECT_EQ(best_rate(0.5), 30);
}

// A second clip that is easier by far, but for small pictures, where it loses all its text.
class TextRunner final : public TrialRunner {
 public:
  Trial Run(const TrialRequest& request) override {
    const bool text = request.footage.label == "text";
    Trial trial = test::DoneTrial(request, text ? 2000 : 1000);
    const double lines = std::log2(request.settings.size.height / 432.0);
    trial.quality = test::QualityOf(text && request.settings.size.height < 500 ? 20
                                    : text                                     ? 90
                                                                               : 50 - 20 * lines * lines);
    return trial;
  }
};

TEST(Finalists, TheBestIsTheBestOnFootageThatWasLeftOutToo) {
  TextRunner runner;
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("quick turns"), test::FakeFootage("text")}, 0.2);
  const SearchSpace space{test::SmallSettings(), CandidateSizes({1280, 720}), {{60, 1}}, {"x264"}};
  const auto ranked = RankFinalists(SearchPicture(space, options), options);
  EXPECT_GE(ranked.front().size.height, 500);
  EXPECT_EQ(ranked.front().best->clips.size(), 2u);
}

TEST(Finalists, ANeighbourIsMeasuredWithItsSlowerPresetBeforeItIsJudged) {
  StretchRunner runner(504, 720);
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("clip")}, 0.2, 0, {}, {{"clip", test::FakeFootage("clip, calmest")}});
  const auto option = [&](FrameSize size, const std::string& preset) {
    EncodeSettings settings = WithEncoder(test::SmallSettings(), "x264", preset);
    settings.size = size;
    return settings;
  };
  TriedPicture best{{896, 504}, {60, 1}, options.Measure(option({896, 504}, "slow"))};
  TriedPicture next{{1024, 576}, {60, 1}, options.Measure(option({1024, 576}, "fast"))};
  next.untried = {option({1024, 576}, "slow"), 60};
  const auto ranked = RankFinalists({best, next}, options);
  EXPECT_EQ(ranked.front().size.height, 576);
  EXPECT_TRUE(options.Known(option({1024, 576}, "slow")));
  EXPECT_FALSE(ranked.front().untried);
}

TEST_F(FinalistsTest, WithoutACalmStretchTheOrderStays) {
  StretchRunner runner(504, 720);
  EXPECT_EQ(Rank(runner, false).front().size.height, 504);
  EXPECT_EQ(runner.calm_trials, 0);
}

}  // namespace
}  // namespace kettle
