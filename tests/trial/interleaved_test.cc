// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/interleaved.h"

#include "support.h"

namespace kettle {
namespace {

using testing::ElementsAre;

// Runs nothing: time passes on the fake clock, throughputs follow a list.
class ListRunner final : public TrialRunner {
 public:
  explicit ListRunner(test::FakeClock& clock) : clock_(clock) {}

  Trial Run(const TrialRequest& request) override {
    order.push_back(request.settings.preset);
    with_quality.push_back(request.quality);
    longest.push_back(request.longest_seconds.value_or(-1));
    Trial trial;
    trial.settings = request.settings;
    trial.timing.total = std::min(seconds, request.longest_seconds.value_or(seconds));
    clock_.Pass(static_cast<std::int64_t>(trial.timing.total * 1e9));
    trial.status = status;
    const double fps = throughputs.empty() ? 100 : throughputs[count_++ % throughputs.size()];
    trial.repeats = {{.throughput_fps = fps}};
    if (trial.done()) Summarise(trial);
    if (request.quality) trial.quality = Quality{};
    return trial;
  }

  std::vector<std::string> order;
  std::vector<bool> with_quality;
  std::vector<double> longest, throughputs;
  double seconds = 2;
  WorkerStatus status = WorkerStatus::kDone;

 private:
  test::FakeClock& clock_;
  std::size_t count_ = 0;
};

class InterleavedTest : public testing::Test {
 protected:
  static std::vector<TrialJob> Jobs(const std::vector<std::string>& presets) {
    std::vector<TrialJob> jobs;
    for (const std::string& preset : presets)
      jobs.push_back({test::SmallSettings("x264", preset), {"a", "/cache/a.y4m", {192, 128}, {25, 1}, 50, 0}, {}});
    return jobs;
  }
  void Run(std::vector<TrialJob>& jobs, const InterleaveLimits& limits) {
    RunInterleaved(jobs, limits, runner_, clock_, [&] { ++kept_; });
  }
  test::FakeClock clock_;
  ListRunner runner_{clock_};
  int kept_ = 0;
};

TEST_F(InterleavedTest, RoundsUntilTight) {
  auto jobs = Jobs({"ultrafast", "fast"});
  Run(jobs, {});
  EXPECT_THAT(runner_.order, ElementsAre("ultrafast", "fast", "ultrafast", "fast", "ultrafast", "fast"));
  EXPECT_THAT(runner_.with_quality, ElementsAre(true, true, false, false, false, false)) << "it does not vary";
  EXPECT_EQ(jobs[0].trial->repeats.size(), 3u);
  EXPECT_EQ(kept_, 6);
}

TEST_F(InterleavedTest, NoisyTrialsGoOnToTheLimit) {
  runner_.throughputs = {100, 130, 90, 120, 80, 110, 95};
  auto jobs = Jobs({"fast"});
  Run(jobs, {{3, 5, 0.03}, {}});
  EXPECT_EQ(jobs[0].trial->repeats.size(), 5u);
  EXPECT_GT(*jobs[0].trial->interval, 0.03);
}

TEST_F(InterleavedTest, WholeRoundsGoOnWithAllUntilTheLastIsTight) {
  runner_.throughputs = {100, 100, 100, 130, 100, 90, 120};  // the second one's vary
  auto jobs = Jobs({"ultrafast", "fast"});
  InterleaveLimits limits{{3, 4, 0.03}, {}};
  Run(jobs, limits);
  EXPECT_EQ(jobs[0].trial->repeats.size(), 3u);
  EXPECT_EQ(jobs[1].trial->repeats.size(), 4u);

  auto whole = Jobs({"ultrafast", "fast"});
  limits.whole_rounds = true;
  Run(whole, limits);
  EXPECT_EQ(whole[0].trial->repeats.size(), 4u) << "beside the one that is not tight";
  EXPECT_EQ(whole[1].trial->repeats.size(), 4u);
}

TEST_F(InterleavedTest, AFailureIsNotRepeated) {
  runner_.status = WorkerStatus::kCrashed;
  auto jobs = Jobs({"fast"});
  Run(jobs, {});
  EXPECT_EQ(runner_.order.size(), 1u);
}

TEST_F(InterleavedTest, WhatIsKnownIsNotRunAgain) {
  auto jobs = Jobs({"ultrafast", "fast"});
  Run(jobs, {});
  const auto before = runner_.order.size();
  Run(jobs, {});
  EXPECT_EQ(runner_.order.size(), before);
  jobs[1].trial->repeats.pop_back();
  jobs[1].trial->repeats.pop_back();
  Run(jobs, {});
  EXPECT_EQ(runner_.order.size(), before + 2) << "only the repeats that are missing";
}

TEST_F(InterleavedTest, ABudgetIsKept) {
  auto jobs = Jobs({"ultrafast", "superfast", "veryfast", "faster", "fast"});
  const std::int64_t start = clock_.now_ns();
  Run(jobs, {{3, 5, 0.03}, 15.0});
  EXPECT_LE(static_cast<double>(clock_.now_ns() - start) * 1e-9, 15.0);
  for (const TrialJob& job : jobs) EXPECT_TRUE(job.trial) << "every trial once before any of them again";
  EXPECT_EQ(runner_.order.size(), 7u);
  EXPECT_EQ(runner_.longest.back(), -1) << "what is known to fit is not cut short";
}

// Time for a known repeat was once held to be too short, as if its quality were still to be measured.
TEST_F(InterleavedTest, ARepeatThatJustFitsIsRun) {
  auto jobs = Jobs({"ultrafast", "superfast"});
  Run(jobs, {{3, 5, 0.03}, 6.1});
  EXPECT_EQ(runner_.order.size(), 3u);
}

TEST_F(InterleavedTest, AnUnknownTrialIsCutShortToFit) {
  runner_.seconds = 1000;
  auto jobs = Jobs({"ultrafast", "fast"});
  Run(jobs, {{3, 5, 0.03}, 6.0});
  EXPECT_EQ(runner_.order.size(), 1u);
  EXPECT_LT(runner_.longest[0], 6.0);
  EXPECT_FALSE(jobs[1].trial) << "no time was left";
}

TEST_F(InterleavedTest, ExpectsWhatIsKnownAndRealTimeForTheRest) {
  auto jobs = Jobs({"ultrafast", "fast"});
  const Expectation guess = Expect(jobs, {});
  EXPECT_EQ(guess.unknown, 2);
  EXPECT_EQ(guess.repeats, 6);
  EXPECT_GT(guess.seconds, 2 * 3 * 2.0) << "two seconds of content each";
  Run(jobs, {});
  EXPECT_EQ(Expect(jobs, {}).seconds, 0);
  EXPECT_DOUBLE_EQ(Expect(jobs, {}, true).seconds, 12) << "anew: three repeats of two seconds for each of the two";
  EXPECT_EQ(Expect(jobs, {}, true).unknown, 0);
  jobs[0].trial->repeats.resize(1);
  jobs[0].trial->timing.total = 2;
  EXPECT_DOUBLE_EQ(Expect(jobs, {}).seconds, 4);
}

}  // namespace
}  // namespace kettle
