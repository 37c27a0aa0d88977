// SPDX-License-Identifier: Apache-2.0
// What counts where clips have calm moments too, and several clips.
#include <cmath>

#include "fakes.h"
#include "kettle/search/candidates.h"
#include "kettle/search/picture_search.h"

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
    const auto& presets = FindFamily("x264").presets;
    const auto preset = std::find(presets.begin(), presets.end(), request.settings.preset) - presets.begin();
    trial.quality = test::QualityOf((calm ? 80 : 50) - 20 * lines * lines - 20 * std::pow(0.5, preset));
    return trial;
  }

  int calm_trials = 0;

 private:
  double busiest_lines_, calmest_lines_;
};

class CalmTest : public testing::Test {
 protected:
  std::vector<TriedPicture> Rank(TrialRunner& runner, bool has_calm = true) {
    TrialBook book(runner, {}, [](const auto&) {});
    std::map<std::string, Footage> calm;
    if (has_calm) calm.emplace("clip", test::FakeFootage("clip, calmest"));
    OptionBook options(book, {test::FakeFootage("clip")}, 0.2, {}, calm);
    const SearchSpace space{test::SmallSettings(), CandidateSizes({1280, 720}), {{60, 1}}, {"x264"}};
    return SearchPicture(space, options);
  }
};

TEST_F(CalmTest, BothStretchesCountHalfEach) {
  StretchRunner runner(504, 720);
  const auto ranked = Rank(runner);
  EXPECT_EQ(ranked.front().size.height, 576) << "between 504 and 720, on a scale of ratios: 602";
  const Option& best = *ranked.front().best;
  EXPECT_DOUBLE_EQ(best.score, (best.busiest_score() + best.calmest_score()) / 2);
  EXPECT_GT(best.calmest_score(), best.busiest_score());
}

TEST_F(CalmTest, OnlyWhatComesNearIsMeasuredInTheCalmestToo) {
  StretchRunner runner(504, 504);
  const auto ranked = Rank(runner);
  EXPECT_EQ(ranked.front().size.height, 504);
  EXPECT_LE(runner.calm_trials, 6) << "of 80";
  for (std::size_t i = 1; i < ranked.size(); ++i)
    EXPECT_GE(!ranked[i - 1].best->calm.empty(), !ranked[i].best->calm.empty())
        << "what was measured whole comes first";
}

TEST_F(CalmTest, TheLargestSizeIsTheBestIfBothStretchesSaySo) {
  StretchRunner runner(900, 900);
  const auto ranked = Rank(runner);
  EXPECT_EQ(ranked.front().size.height, 720);
  EXPECT_LE(runner.calm_trials, 5) << "of 80";
}

// The first calm look comes to nothing: its worker stood still.
class StandingStillRunner final : public TrialRunner {
 public:
  Trial Run(const TrialRequest& request) override {
    const bool calm = request.footage.label == "clip, calmest";
    Trial trial = machine_.Run(request);
    if (calm && std::exchange(first_calm_, false)) trial.quality.reset();
    return trial;
  }

 private:
  StretchRunner machine_{504, 720};
  bool first_calm_ = true;
};

TEST_F(CalmTest, OneCalmLookThatComesToNothingIsNotTheEndOfTheSearch) {
  StandingStillRunner runner;
  EXPECT_EQ(Rank(runner).front().size.height, 576);
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

TEST(SearchPicture, OfThoseThatLookAlikeTheOneWithMoreFramesComesFirst) {
  const auto best_rate = [](double lost) {
    ByRateRunner runner(lost);
    TrialBook book(runner, {}, [](const auto&) {});
    OptionBook options(book, {test::FakeFootage("clip")}, 0.2);
    const SearchSpace space{test::SmallSettings(), {{640, 360}}, {{60, 1}, {30, 1}}, {"x264"}};
    return SearchPicture(space, options).front().rate.fps();
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

TEST(SearchPicture, TheBestIsTheBestOnFootageThatWasLeftOutToo) {
  TextRunner runner;
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("quick turns"), test::FakeFootage("text")}, 0.2);
  const SearchSpace space{test::SmallSettings(), CandidateSizes({1280, 720}), {{60, 1}}, {"x264"}};
  const auto ranked = SearchPicture(space, options);
  EXPECT_GE(ranked.front().size.height, 500);
  EXPECT_EQ(ranked.front().best->clips.size(), 2u);
}

TEST_F(CalmTest, WithoutACalmStretchTheBusiestDecides) {
  StretchRunner runner(504, 720);
  EXPECT_EQ(Rank(runner, false).front().size.height, 504);
  EXPECT_EQ(runner.calm_trials, 0);
}

}  // namespace
}  // namespace kettle
