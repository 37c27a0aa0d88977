// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/picture_search.h"

#include <cmath>
#include <random>
#include <set>

#include "fakes.h"
#include "kettle/quality/frame_rate_loss.h"
#include "kettle/search/candidates.h"
#include "kettle/search/exhaustive.h"

namespace kettle {
namespace {

// A machine on which speed falls with pixels and presets, quality has one peak over size, and pictures get better as
// the frame rate falls, but motion worse.
class PictureRunner final : public TrialRunner {
 public:
  explicit PictureRunner(unsigned seed) : random_(seed) {
    speed_ = Uniform(2e6, 60e6);
    best_lines_ = Uniform(400, 1000);
    steep_ = Uniform(1, 5);
    per_rate_ = Uniform(-0.12, 0);
    moves_ = Uniform(0, 30);
    fall_ = Uniform(1.2, 2.0);
  }

  Trial Run(const TrialRequest& request) override {
    const EncodeSettings& s = request.settings;
    const EncoderFamily& family = FindFamily(s.encoder);
    const auto preset = std::find(family.presets.begin(), family.presets.end(), s.preset) - family.presets.begin();
    const bool cpu = s.encoder == "x264", easy = request.footage.label == "easy";
    Trial trial =
        test::DoneTrial(request, speed_ * (cpu ? 1 : 2) * (easy ? 1.3 : 1) / static_cast<double>(s.size.pixels()) /
                                     std::pow(cpu ? fall_ : 1.15, preset));
    const double lines = std::log2(s.size.height / best_lines_);
    const double db = 14 - steep_ * lines * lines + per_rate_ * (s.frame_rate.fps() - 60) +
                      0.25 * static_cast<double>(preset) + (cpu ? 0.3 : 0) + (easy ? 2 : 0);
    trial.quality = test::QualityOf(5 * db);
    trial.quality->speeds = {moves_};
    trial.quality->frame_rate_share = FrameRateShare(s.frame_rate, {60, 1}, {moves_});
    trial.timing.encoding = 60 / trial.throughput_fps;
    return trial;
  }

 private:
  double Uniform(double low, double high) { return std::uniform_real_distribution<>(low, high)(random_); }
  std::mt19937 random_;
  double speed_, best_lines_, steep_, per_rate_, moves_, fall_;
};

SearchSpace Space() {
  return {test::SmallSettings(), CandidateSizes({1280, 720}), CandidateRates({60, 1}, {60, 1}), {"x264", "nvenc-h264"}};
}

TEST(SearchPicture, FindsWhatTheGridFindsWithAFractionOfTheEncoding) {
  int found = 0;
  for (unsigned seed = 1; seed <= 150; ++seed) {
    PictureRunner runner(seed);
    TrialBook book(runner, {}, [](const auto&) {});
    const auto check = CheckAgainstGrid(Space(), {test::FakeFootage("easy"), test::FakeFootage("hard")}, 0.2, book);
    EXPECT_EQ(check.grid_best.has_value(), check.search_best.has_value()) << "seed " << seed;
    if (!check.grid_best) continue;
    ++found;
    EXPECT_LE(check.loss(), 0.5) << "seed " << seed;
    EXPECT_LE(check.encode_share(), 0.08) << "seed " << seed;
    EXPECT_LT(check.search_trials, check.grid_trials / 8) << "seed " << seed;
  }
  EXPECT_GT(found, 100);
}

TEST(SearchPicture, GivesTheBestFirstAndWhatDoesNotKeepPaceLast) {
  PictureRunner runner(7);
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("hard")}, 0.2);
  const auto tried = SearchPicture(Space(), options);
  ASSERT_GT(tried.size(), 3u);
  for (std::size_t i = 1; i < tried.size(); ++i) {
    if (!tried[i].best) continue;
    ASSERT_TRUE(tried[i - 1].best) << "an empty one stands before it";
    EXPECT_GE(tried[i - 1].best->score, tried[i].best->score);
  }
  EXPECT_TRUE(tried.front().best->measured);
  // What was given up for its looks keeps pace all the same: a smaller picture than the best is no harder.
  for (const TriedPicture& picture : tried)
    if (picture.size.pixels() <= tried.front().size.pixels() && picture.rate.fps() <= tried.front().rate.fps()) {
      EXPECT_TRUE(picture.best) << picture.size.str() << " at " << picture.rate.str();
    }
}

// With too few bits the source's own size, which needs no scaling, looks better than the next ones, and a much smaller
// one best of all. `lift`: points by which everything looks better.
class TwoPeaksRunner final : public TrialRunner {
 public:
  explicit TwoPeaksRunner(double lift) : lift_(lift) {}
  Trial Run(const TrialRequest& request) override {
    ++runs;
    const double lines = request.settings.size.height;
    Trial trial = test::DoneTrial(request, 500);
    trial.quality = test::QualityOf(lift_ + (lines == 720 ? 14 : 11 + 40 * std::max(0.0, 0.7 - lines / 720)));
    return trial;
  }
  int runs = 0;

 private:
  double lift_;
};

TEST(SearchPicture, LooksBehindAValley) {
  SearchSpace space = Space();
  space.rates = {{60, 1}};
  space.families = {"x264"};
  for (const double lift : {0, 40}) {
    TwoPeaksRunner runner(lift);
    TrialBook book(runner, {}, [](const auto&) {});
    OptionBook options(book, {test::FakeFootage("hard")}, 0.2);
    EXPECT_EQ(SearchPicture(space, options).front().size, space.sizes.back()) << lift;
    EXPECT_LT(runner.runs, 30) << "of " << space.sizes.size() * FindFamily("x264").presets.size();
  }
}

// Remembers every trial of a made-up machine.
class WatchedRunner final : public TrialRunner {
 public:
  explicit WatchedRunner(unsigned seed) : machine_(seed) {}
  Trial Run(const TrialRequest& request) override {
    seen.push_back(machine_.Run(request));
    return seen.back();
  }
  std::vector<Trial> seen;

 private:
  PictureRunner machine_;
};

// Everything keeps pace and presets look alike; the GPU's pictures look so much worse than the CPU's.
class TwoEncodersRunner final : public TrialRunner {
 public:
  explicit TwoEncodersRunner(double behind_db) : behind_db_(behind_db) {}
  Trial Run(const TrialRequest& request) override {
    const EncodeSettings& s = request.settings;
    const bool cpu = s.encoder == "x264";
    if (!cpu) gpu_pictures.insert(s.size.str() + " " + s.frame_rate.str());
    Trial trial = test::DoneTrial(request, 1000);
    const double db =
        14 - 3 * std::abs(std::log2(s.size.height / 540.0)) - (60 - s.frame_rate.fps()) / 20 - (cpu ? 0 : behind_db_);
    trial.quality = test::QualityOf(5 * db);
    return trial;
  }
  std::set<std::string> gpu_pictures;

 private:
  double behind_db_;
};

// Which pictures a machine was asked for.
class WatchedPictures final : public TrialRunner {
 public:
  explicit WatchedPictures(TrialRunner& machine) : machine_(machine) {}
  Trial Run(const TrialRequest& request) override {
    seen.insert(request.settings.size.str() + " " + request.settings.frame_rate.str());
    return machine_.Run(request);
  }
  std::set<std::string> seen;

 private:
  TrialRunner& machine_;
};

TEST(SearchPicture, AnEncoderThatIsFarBehindIsHardlyLookedAt) {
  TwoEncodersRunner runner(4);
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("hard")}, 0.2);
  EXPECT_EQ(SearchPicture(Space(), options).front().size, (FrameSize{960, 540}));
  EXPECT_LE(runner.gpu_pictures.size(), 2u);
}

// Destinations limit B-frames, which no card is asked for: what its encodes look like counts all the same.
TEST(SearchPicture, AnEncoderThatIsAskedForLessIsHardlyLookedAtEither) {
  TwoEncodersRunner runner(4);
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("hard")}, 0.2);
  SearchSpace space = Space();
  space.target.b_frames = 2;
  EXPECT_EQ(SearchPicture(space, options).front().size, (FrameSize{960, 540}));
  EXPECT_LE(runner.gpu_pictures.size(), 2u);
}

TEST(SearchPicture, AnEncoderThatNeverWorksIsLeft) {
  int crashed = 0;
  test::FakeRunner runner([&](const std::string& encoder, int preset, bool, const std::string&) {
    const bool broken = encoder != "x264";
    crashed += broken;
    return broken ? test::Figures{0, 0, 0} : test::Figures{400.0 / (preset + 1), 1, 0.8 + 0.01 * preset};
  });
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("hard")}, 0.2);
  EXPECT_TRUE(SearchPicture(Space(), options).front().best);
  EXPECT_LE(crashed, 5);
}

// The grid once asked cards for the B-frames that a destination takes; most refuse, and the grid looked cheap.
TEST(CheckAgainstGrid, AsksNoGpuForBFrames) {
  WatchedRunner runner(3);
  TrialBook book(runner, {}, [](const auto&) {});
  SearchSpace space = Space();
  space.target.b_frames = 2;
  const GridCheck check = CheckAgainstGrid(space, {test::FakeFootage("hard")}, 0.2, book);
  std::set<std::string> asked;
  for (const Trial& trial : runner.seen) asked.insert(trial.id());
  EXPECT_EQ(static_cast<int>(asked.size()), check.grid_trials) << "the search asks for nothing else";
  for (const Trial& trial : runner.seen)
    EXPECT_EQ(trial.settings.b_frames.value_or(0), trial.settings.encoder == "x264" ? 2 : 0);
}

// What a few pictures have shown of sizes and frame rates need not be tried at the others.
TEST(SearchPicture, ARivalIsNotTriedAtSizesThatCannotHelpIt) {
  TwoEncodersRunner runner(4);
  WatchedPictures pictures(runner);
  TrialBook book(pictures, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("hard")}, 0.2);
  EXPECT_EQ(SearchPicture(Space(), options).front().size, (FrameSize{960, 540}));
  EXPECT_LE(pictures.seen.size(), Space().sizes.size() * Space().rates.size() * 2 / 3);
}

TEST(SearchPicture, OnePictureIsOnlyAWalk) {
  PictureRunner runner(3);
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("hard")}, 0.2);
  SearchSpace space = Space();
  space.sizes.resize(1);
  space.rates.resize(1);
  EXPECT_EQ(SearchPicture(space, options).size(), 1u);
  EXPECT_LE(options.trials(), 10);
}

TEST(OptionBook, StopsWhereAnOptionIsOfNoUse) {
  PictureRunner runner(7);
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("easy"), test::FakeFootage("hard")}, 0.2);
  EncodeSettings settings = test::SmallSettings("x264", "ultrafast");
  settings.size = {320, 180};
  settings.frame_rate = {30, 1};
  const Option hopeless = options.Measure(settings, 90);
  EXPECT_EQ(options.trials(), 1) << "it looks worse on the first footage already";
  EXPECT_FALSE(hopeless.measured);
  EXPECT_TRUE(options.Known(settings));
  const Option whole = options.Measure(settings, -1);
  EXPECT_TRUE(whole.measured);
  EXPECT_EQ(options.trials(), 2);
  EXPECT_EQ(whole.clips.size(), 2u);
  EXPECT_EQ(options.Measure(settings, -1).score, whole.score);
  EXPECT_EQ(options.trials(), 2) << "asked again, it costs nothing";
}

TEST(OptionBook, WithoutTimeMeasuresNothingNew) {
  PictureRunner runner(7);
  TrialBook book(runner, {}, [](const auto&) {});
  bool time = true;
  OptionBook options(book, {test::FakeFootage("hard")}, 0.2, {[&](const EncodeSettings&) { return time; }, {}});
  options.Measure(test::SmallSettings("x264", "ultrafast"));
  time = false;
  EXPECT_THAT(options.Measure(test::SmallSettings("x264", "fast")).trouble, testing::HasSubstr("not measured"));
}

// A plan searches many times: alone, beside each recording, after a proof run. Each once started to count anew.
TEST(SearchPicture, WhatIsABitTooSlowIsLookedAtFiveTimesInAll) {
  int looks = 0;
  test::FakeRunner runner([&](const std::string&, int preset, bool, const std::string&) {
    looks += preset == 1;
    return test::Figures{preset == 0 ? 200.0 : 74.0, 1, 0.8 + 0.1 * std::min(preset, 1)};
  });
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("hard")}, 0.2);
  SearchSpace space{test::SmallSettings(), {{320, 180}}, {{60, 1}}, {"x264"}};
  for (int search = 0; search < 6; ++search) EXPECT_TRUE(SearchPicture(space, options).front().best);
  EXPECT_GE(looks, 2);
  EXPECT_LE(looks, 5);
}

}  // namespace
}  // namespace kettle
