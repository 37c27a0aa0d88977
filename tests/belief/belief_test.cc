// SPDX-License-Identifier: Apache-2.0
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "kettle/belief/gaussian_process.h"
#include "kettle/belief/linear_belief.h"

namespace kettle {
namespace {

TEST(Estimate, ProbabilitiesAndGainsAreTheNormalDistributions) {
  EXPECT_NEAR(ProbabilityAtMost({1, 2}, 1), 0.5, 1e-12);
  EXPECT_NEAR(ProbabilityAtMost({0, 1}, 1.959964), 0.975, 1e-6);
  EXPECT_EQ(ProbabilityAtMost({3, 0}, 2), 0);
  EXPECT_NEAR(ExpectedGain({0, 1}, 0), 1 / std::sqrt(2 * M_PI), 1e-12);
  EXPECT_NEAR(ExpectedGain({5, 0.01}, 2), 3, 1e-9);
  EXPECT_LT(ExpectedGain({0, 1}, 6), 1e-8);
  EXPECT_NEAR(Sum({1, 3}, {2, 4}).deviation, 5, 1e-12);
}

// Against a million draws.
TEST(Estimate, CutOffAtABoundItIsAsTheDrawsBeyondIt) {
  std::mt19937 random(1);
  std::normal_distribution<double> draw(1, 2);
  double sum = 0, squares = 0;
  int count = 0;
  for (int i = 0; i < 1'000'000; ++i)
    if (const double x = draw(random); x > 2.5) {
      sum += x;
      squares += x * x;
      ++count;
    }
  const Estimate above = Above({1, 2}, 2.5);
  EXPECT_NEAR(above.mean, sum / count, 0.01);
  EXPECT_NEAR(above.deviation, std::sqrt(squares / count - sum * sum / count / count), 0.01);
  EXPECT_NEAR(Above({0, 1}, -20).mean, 0, 1e-12);
  EXPECT_NEAR(Above({0, 1}, 30).mean, 30.03, 0.01);
}

TEST(Estimate, SeveralLooksTellMoreThanOneAndDoubtfulOnesLittle) {
  const Estimate alike = Joined({{1, 0.2}, {2, 0.2}});
  EXPECT_NEAR(alike.mean, 1.5, 1e-12);
  EXPECT_NEAR(alike.deviation, 0.2 / std::sqrt(2), 1e-12);
  const Estimate doubtful = Joined({{1, 0.1}, {2, 1}});
  EXPECT_NEAR(doubtful.mean, 1 + 1 / 101.0, 1e-12);
  EXPECT_LT(doubtful.deviation, 0.1);
}

TEST(Estimate, AMixtureIsAsWideAsItsBeliefsAndTheirQuarrel) {
  const Estimate both = Mixture({{{10, 3}, 1}, {{20, 4}, 3}});
  EXPECT_NEAR(both.mean, 17.5, 1e-9);
  EXPECT_NEAR(both.deviation, std::sqrt((9 + 7.5 * 7.5) / 4 + (16 + 2.5 * 2.5) * 3 / 4), 1e-9);
}

TEST(LinearBelief, StartsWithWhatIsExpectedAndEndsWithWhatIsSeen) {
  LinearBelief belief;
  belief.Expect("level", {2, 1});
  belief.Expect("slope", {1, 0.5});
  EXPECT_NEAR(belief.Of({{"level"}, {"slope", 2}}).mean, 4, 1e-12);
  EXPECT_NEAR(belief.Of({{"level"}, {"slope", 2}}).deviation, std::sqrt(2), 1e-12);
  for (int x = -5; x <= 5; ++x) belief.Observe({{"level"}, {"slope", double(x)}}, 3 - 0.5 * x, 0.01);
  EXPECT_NEAR(belief.Of({{"level"}}).mean, 3, 0.001);
  EXPECT_NEAR(belief.Of({{"slope"}}).mean, -0.5, 0.001);
  EXPECT_LT(belief.Of({{"slope"}}).deviation, 0.001);
}

TEST(LinearBelief, APartThatWasNotSeenLearnsNothing) {
  LinearBelief belief;
  for (const char* part : {"seen", "unseen"}) belief.Expect(part, {0, 1});
  belief.Observe({{"seen"}}, 5, 0.1);
  EXPECT_NEAR(belief.Of({{"unseen"}}).mean, 0, 1e-12);
  EXPECT_NEAR(belief.Of({{"unseen"}}).deviation, 1, 1e-12);
}

// What follows from Bayes' rule, by numbers on a fine grid.
TEST(LinearBelief, SlowerThanMovesItAsBayesRuleDoes) {
  const double bound = 1.5, error = 0.3;
  LinearBelief belief;
  belief.Expect("x", {1, 0.8});
  belief.ObserveAbove({{"x"}}, bound, error);
  double all = 0, mean = 0, squares = 0;
  for (double x = -6; x < 8; x += 0.001) {
    const double weight = NormalDensity((x - 1) / 0.8) * NormalCumulative((x - bound) / error);
    all += weight;
    mean += weight * x;
    squares += weight * x * x;
  }
  mean /= all;
  EXPECT_NEAR(belief.Of({{"x"}}).mean, mean, 1e-3);
  EXPECT_NEAR(belief.Of({{"x"}}).deviation, std::sqrt(squares / all - mean * mean), 1e-3);
}

TEST(LinearBelief, SlowerThanWhatIsSlowAnywayTellsNothing) {
  LinearBelief belief;
  belief.Expect("x", {10, 0.5});
  belief.ObserveAbove({{"x"}}, 1, 0.1);
  EXPECT_NEAR(belief.Of({{"x"}}).mean, 10, 1e-6);
  EXPECT_NEAR(belief.Of({{"x"}}).deviation, 0.5, 1e-6);
}

TEST(GaussianProcess, GoesThroughWhatWasSeenAndDoubtsWhatWasNot) {
  GaussianProcess<double> process([](double) { return 30.0; },
                                  [](double a, double b) { return 100 * Matern52(std::abs(a - b)); }, 0.1);
  EXPECT_NEAR(process.At(0).deviation, 10, 1e-9);
  for (const double x : {0.0, 0.5, 1.0, 1.5, 2.0}) process.Observe(x, 40 + 5 * std::sin(x));
  EXPECT_NEAR(process.At(1.25).mean, 40 + 5 * std::sin(1.25), 0.1);
  EXPECT_LT(process.At(1.25).deviation, 1);
  EXPECT_NEAR(process.At(50).mean, 30, 1e-6) << "far away only the mean is known";
  EXPECT_NEAR(process.At(50).deviation, 10, 1e-6);
}

TEST(GaussianProcess, TellsHowWellItForetold) {
  const auto process_of = [](double deviation) {
    return GaussianProcess<double>(
        [](double) { return 30.0; },
        [=](double a, double b) { return deviation * deviation * Matern52(std::abs(a - b)); }, 0.1);
  };
  GaussianProcess<double> one = process_of(3);
  EXPECT_EQ(one.LogEvidence(), 0);
  one.Observe(0, 34);
  EXPECT_NEAR(one.LogEvidence(), -(16 / 9.01 + std::log(9.01)) / 2, 1e-9);
  GaussianProcess<double> rough = process_of(10), smooth = process_of(1);
  for (double x = 0; x < 3; x += 0.5) {
    rough.Observe(x, 30 + 0.5 * std::sin(x));
    smooth.Observe(x, 30 + 0.5 * std::sin(x));
  }
  EXPECT_GT(smooth.LogEvidence(), rough.LogEvidence());
}

}  // namespace
}  // namespace kettle
