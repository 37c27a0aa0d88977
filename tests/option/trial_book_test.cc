// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/trial_book.h"

#include <string>

#include "fakes.h"
#include "says.h"

namespace kettle {
namespace {

using test::FakeFootage;
using test::FakeRunner;
using test::Figures;

const FakeRunner::Machine kGood = [](auto...) { return Figures{100, 1, 0.9}; };
const FakeRunner::Machine kCrash = [](auto...) { return Figures{0, 0, 0}; };

TEST(TrialBook, MeasuresOnce) {
  FakeRunner runner(kGood);
  std::size_t kept = 0;
  TrialBook book(runner, {}, [&](const std::vector<Trial>& trials) { kept = trials.size(); });
  book.Get(test::SmallSettings(), FakeFootage("a"));
  book.Get(test::SmallSettings(), FakeFootage("a"));
  book.Get(test::SmallSettings(), FakeFootage("b"));
  EXPECT_EQ(runner.runs, 2);
  EXPECT_EQ(kept, 2u);
}

TEST(TrialBook, UsesEarlierTrialsAgain) {
  FakeRunner runner(kGood);
  const Trial earlier = FakeRunner(kGood).Run({test::SmallSettings(), FakeFootage("a")});
  TrialBook book(runner, {earlier}, [](const auto&) {});
  EXPECT_EQ(book.Get(test::SmallSettings(), FakeFootage("a")).throughput_fps, 100);
  EXPECT_EQ(runner.runs, 0);
  EXPECT_EQ(book.reused(), 1);
}

TEST(TrialBook, AnEarlierFailureIsTriedAgainOnce) {
  FakeRunner runner(kCrash);
  const Trial earlier = FakeRunner(kCrash).Run({test::SmallSettings(), FakeFootage("a")});
  TrialBook book(runner, {earlier}, [](const auto&) {});
  book.Get(test::SmallSettings(), FakeFootage("a"));
  book.Get(test::SmallSettings(), FakeFootage("a"));
  EXPECT_EQ(runner.runs, 1);
  EXPECT_EQ(book.trials().size(), 1u) << "the new trial takes the old one's place";
}

TEST(TrialBook, MeasuresTheQualityOnceItIsAskedFor) {
  FakeRunner runner(kGood);
  TrialBook book(runner, {}, [](const auto&) {});
  EXPECT_FALSE(book.Get(test::SmallSettings(), FakeFootage("a"), false).quality);
  EXPECT_TRUE(book.Get(test::SmallSettings(), FakeFootage("a")).quality);
  EXPECT_TRUE(book.Get(test::SmallSettings(), FakeFootage("a"), false).quality) << "it is known by now";
  EXPECT_EQ(runner.runs, 2);
  EXPECT_EQ(book.trials().size(), 1u);
}

// A machine that takes `times` as long while it is slow; the reference encode, 0.1 s otherwise, shows that.
class SlowingRunner final : public TrialRunner {
 public:
  explicit SlowingRunner(std::function<double(double seconds)> times) : times_(std::move(times)) {}
  Trial Run(const TrialRequest& request) override {
    const double times = times_(now_);
    Trial trial = test::DoneTrial(request, 100 / times);
    trial.timing.encoding = 2;
    Repeat repeat{.throughput_fps = 100 / times, .cpu_cores = 0.5 * times, .began = now_};
    repeat.before = repeat.after = ReferenceLook{0.1 * times, 0.15 * times};
    trial.repeats = {repeat};
    usual_told_ = request.usual_reference_seconds;
    now_ += 3;
    return trial;
  }
  double usual_told() const { return usual_told_; }

 private:
  std::function<double(double)> times_;
  double now_ = 1000, usual_told_ = -1;
};

EncodeSettings Numbered(int kbps) {
  EncodeSettings settings = test::SmallSettings();
  settings.bit_rate = BitRate::FromKbps(kbps);
  return settings;
}

TEST(TrialBook, AMomentInWhichTheMachineIsSlowIsSeenThrough) {
  SlowingRunner runner([](double seconds) { return seconds > 1020 && seconds < 1040 ? 1.7 : 1.0; });
  TrialBook book(runner, {}, [](const auto&) {});
  for (int trial = 0; trial < 25; ++trial) book.Get(Numbered(500 + trial), FakeFootage("a"));
  EXPECT_NEAR(runner.usual_told(), 0.1, 1e-9) << "so that the next is not cut short for it";
  for (const Trial& measured : book.trials()) {
    const Trial trial = book.AtUsualSpeed(measured);
    EXPECT_NEAR(trial.throughput_fps, 100, 8) << measured.repeats.front().began;
    EXPECT_NEAR(trial.cpu_cores, 0.5, 0.04);
    EXPECT_DOUBLE_EQ(trial.headroom, 1 - trial.settings.frame_rate.fps() / trial.throughput_fps);
  }
  const auto slow = [](const Trial& trial) { return trial.throughput_fps < 60; };
  EXPECT_TRUE(std::any_of(book.trials().begin(), book.trials().end(), slow)) << "they are kept as they were measured";
}

TEST(TrialBook, WhatWasMeasuredOnAFasterMachineCountsAtTheSpeedOfNow) {
  SlowingRunner fast([](double) { return 1.0; }), slow([](double) { return 1.5; });
  TrialBook before(fast, {}, [](const auto&) {});
  for (int trial = 0; trial < 5; ++trial) before.Get(Numbered(500 + trial), FakeFootage("a"));
  std::vector<Trial> earlier = before.trials();
  for (Trial& trial : earlier) trial.repeats.front().began -= 1000;
  TrialBook book(slow, earlier, [](const auto&) {});
  for (int trial = 0; trial < 5; ++trial) book.Get(Numbered(600 + trial), FakeFootage("a"));
  EXPECT_NEAR(book.Get(Numbered(502), FakeFootage("a")).throughput_fps, 100 / 1.5, 4);
  EXPECT_NEAR(book.Get(Numbered(602), FakeFootage("a")).throughput_fps, 100 / 1.5, 4);
}

// The second of three looks: the hypervisor takes nearly all, in bursts that the looks around it do not see.
class StolenRunner final : public TrialRunner {
 public:
  Trial Run(const TrialRequest& request) override {
    const bool stolen = ++runs_ == 2;
    Trial trial = test::DoneTrial(request, stolen ? 40 : 100);
    trial.timing.encoding = 1;
    const double cores = 0.5, busy = cores * trial.throughput_fps / request.settings.frame_rate.fps();
    Repeat repeat{.throughput_fps = trial.throughput_fps, .cpu_cores = cores, .stolen_cores = stolen ? 2 * busy : 0};
    repeat.began = 1000 + 100 * runs_;
    repeat.before = repeat.after = ReferenceLook{0.1, 0.15};
    trial.repeats = {repeat};
    return trial;
  }

 private:
  int runs_ = 0;
};

TEST(TrialBook, ALookWhoseProcessorsOthersTookCountsForLittle) {
  StolenRunner runner;
  TrialBook book(runner, {}, [](const auto&) {});
  const Trial once = book.Get(test::SmallSettings(), FakeFootage("a"));
  const Trial twice = book.Again(test::SmallSettings(), FakeFootage("a"));
  const Trial thrice = book.Again(test::SmallSettings(), FakeFootage("a"));
  EXPECT_GT(twice.throughput_fps, 85) << "the other look told nearly all";
  EXPECT_GT(twice.throughput_error, 0.95 * once.throughput_error) << "and hardly more is known by it";
  EXPECT_LT(thrice.throughput_error, 0.8 * once.throughput_error);
}

// The first look is given up, the second is whole.
class GivenUpRunner final : public TrialRunner {
 public:
  Trial Run(const TrialRequest& request) override {
    Trial trial = test::DoneTrial(request, first_ ? 20 : 100);
    trial.truncated = std::exchange(first_, false);
    return trial;
  }

 private:
  bool first_ = true;
};

TEST(TrialBook, AWholeLookTakesThePlaceOfOneThatWasGivenUp) {
  GivenUpRunner runner;
  TrialBook book(runner, {}, [](const auto&) {});
  EXPECT_TRUE(book.Get(test::SmallSettings(), FakeFootage("a")).truncated);
  const Trial whole = book.Again(test::SmallSettings(), FakeFootage("a"));
  EXPECT_FALSE(whole.truncated);
  EXPECT_DOUBLE_EQ(whole.throughput_fps, 100);
  EXPECT_EQ(whole.repeats.size(), 1u);
}

class HeadroomRunner final : public TrialRunner {
 public:
  Trial Run(const TrialRequest& request) override {
    asked.push_back(request.least_headroom);
    return test::DoneTrial(request, 100);
  }
  std::vector<std::optional<double>> asked;
};

TEST(TrialBook, AllButTheFastestPresetMustHaveTheHeadroom) {
  HeadroomRunner runner;
  TrialBook book(
      runner, {}, [](const auto&) {}, 0.2);
  book.Get(test::SmallSettings("x264", "ultrafast"), FakeFootage("a"));
  book.Get(test::SmallSettings("x264", "veryfast"), FakeFootage("a"));
  book.GetWhole(test::SmallSettings("x264", "veryfast"), FakeFootage("b"));
  EXPECT_EQ(runner.asked, (std::vector<std::optional<double>>{0.0, 0.2, -3.0})) << "for its looks, however slow it is";
}

// Cut short for lack of the headroom that an earlier show asked for: it has no quality.
TEST(TrialBook, ATrialThatLackedMoreHeadroomIsMeasuredAgain) {
  FakeRunner runner([](auto...) { return Figures{30, 1, 0.9}; });  // at 25 frames a second
  Trial earlier = FakeRunner([](auto...) {
                    return Figures{30, 1, 0.9};
                  }).Run({test::SmallSettings("x264", "veryfast"), FakeFootage("a")});
  earlier.quality.reset();
  TrialBook strict(
      runner, {earlier}, [](const auto&) {}, 0.2);
  EXPECT_FALSE(strict.Get(test::SmallSettings("x264", "veryfast"), FakeFootage("a")).quality);
  EXPECT_EQ(runner.runs, 0);
  TrialBook lenient(
      runner, {earlier}, [](const auto&) {}, 0.1);
  EXPECT_TRUE(lenient.Get(test::SmallSettings("x264", "veryfast"), FakeFootage("a")).quality);
}

// Too slow while the hypervisor takes a core, which it does in the first runs.
class StallingRunner final : public TrialRunner {
 public:
  explicit StallingRunner(int stalls, double stalled_fps = 20) : stalls_(stalls), stalled_fps_(stalled_fps) {}
  Trial Run(const TrialRequest& request) override {
    const bool stalls = ++runs <= stalls_;
    Trial trial = test::DoneTrial(request, stalls ? stalled_fps_ : 100);
    trial.repeats = {Repeat{.throughput_fps = trial.throughput_fps, .stolen_cores = stalls ? 1.0 : 0.0}};
    return trial;
  }
  int runs = 0;

 private:
  int stalls_;
  double stalled_fps_;
};

TEST(TrialBook, WhatLacksHeadroomForAMomentsStallIsRunAgain) {
  StallingRunner runner(2);
  TrialBook book(
      runner, {}, [](const auto&) {}, 0.2);
  EXPECT_GT(book.Get(test::SmallSettings("x264", "veryfast"), FakeFootage("a"), false).headroom, 0.2);
  EXPECT_EQ(runner.runs, 3);
  EXPECT_EQ(book.trials().size(), 1u);
  EXPECT_EQ(book.measured(), 3);
}

TEST(TrialBook, WhereOthersAreAlwaysBusyThatIsHowThingsAre) {
  StallingRunner runner(1000);
  TrialBook book(
      runner, {}, [](const auto&) {}, 0.2);
  constexpr int kClips = 10;
  for (int i = 0; i < kClips; ++i)
    book.Get(test::SmallSettings("x264", "veryfast"), FakeFootage("clip " + std::to_string(i)), false);
  EXPECT_EQ(runner.runs, kClips + 6);
  EXPECT_THAT(book.Disturbed(), testing::Optional(test::Says("in 10 of 10 trials something else took processors")));
}

TEST(TrialBook, TellsOfAQuarterOfDisturbedTrialsAndOfNoFewer) {
  StallingRunner runner(1, 90);
  TrialBook book(runner, {}, [](const auto&) {});
  const auto measure = [&](const std::string& clip) {
    book.Get(test::SmallSettings("x264", "veryfast"), FakeFootage(clip), false);
  };
  EXPECT_FALSE(book.Disturbed()) << "nothing was measured";
  for (const char* clip : {"a", "b", "c", "d"}) measure(clip);
  EXPECT_THAT(book.Disturbed(), testing::Optional(test::Says("1 of 4 trials")));
  measure("e");
  EXPECT_FALSE(book.Disturbed());
}

}  // namespace
}  // namespace kettle
