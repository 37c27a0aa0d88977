// SPDX-License-Identifier: Apache-2.0
// Plans that have a limited time.
#include <nlohmann/json.hpp>
#include <set>

#include "fakes.h"
#include "kettle/planner/make_plan.h"
#include "says.h"

namespace kettle {
namespace {

// A machine whose every trial takes three seconds of a clock that only trials and proof runs move.
class TimedPlan : public testing::Test {
 protected:
  Plan Make(double seconds) {
    double now = 0;
    test::FakeRunner runner([&](const std::string&, int preset, bool, const std::string&) {
      now += 3;
      return test::Figures{300.0 - 25 * preset, 0.1 + 0.05 * preset, 0.8 + 0.01 * preset};
    });
    TrialBook book(runner, {}, [](const auto&) {});
    Show show;
    Targets targets = test::FakeTargets();
    targets.sizes = {{320, 180}, {288, 162}, {256, 144}};
    targets.rates = {{60, 1}, {30, 1}};
    PlanRequest request{show, targets, {test::FakeFootage("one")}, {"x264"}, {4, 0.2}};
    if (seconds > 0) request.time = TimeBudget([&, seconds] { return seconds - now; }, 10);
    request.watch = [&](const PlanStatus& status) { stages_.insert(status.stage), best_ = status.best; };
    Plan plan = MakePlan(request, book, [&](const Pair& pair) {
      now += 12;
      return test::ProofAsPredicted(pair, 4);
    });
    took_ = now;
    return plan;
  }

  double took_ = 0;
  std::set<PlanStage> stages_;
  std::optional<Option> best_;
};

TEST_F(TimedPlan, IsProvenInTimeAndSaysWhatItLeftOut) {
  const Plan whole = Make(0);
  const double all = took_;
  ASSERT_TRUE(whole.chosen);
  for (const double seconds : {30.0, 45.0, 60.0}) {
    const Plan plan = Make(seconds);
    ASSERT_TRUE(plan.chosen) << seconds;
    EXPECT_LT(took_, all);
    EXPECT_LE(took_, seconds + 3) << "a trial that was begun is ended";
    EXPECT_LE(plan.chosen->stream.score, whole.chosen->stream.score + 1e-9);
    ASSERT_FALSE(plan.targets.warnings.empty());
    EXPECT_THAT(plan.targets.warnings.back(), test::Says("the time budget left these out: "));
  }
}

TEST_F(TimedPlan, TellsItsStagesAndTheBestSoFar) {
  Make(0);
  EXPECT_TRUE(stages_.contains(PlanStage::kPicture));
  EXPECT_TRUE(stages_.contains(PlanStage::kProof));
  EXPECT_TRUE(stages_.contains(PlanStage::kBesides));
  ASSERT_TRUE(best_);
  EXPECT_TRUE(best_->scored());
}

}  // namespace
}  // namespace kettle
