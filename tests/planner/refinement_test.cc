// SPDX-License-Identifier: Apache-2.0
// An encoder whose presets have no B-frames beside one whose presets have them.
#include "fakes.h"
#include "kettle/planner/make_plan.h"

namespace kettle {
namespace {

// x264 with three B-frames by itself, of 50 points; NVENC with none unless asked, of `without`, and `gain` more
// with them.
class BFramesRunner final : public TrialRunner {
 public:
  explicit BFramesRunner(double without, double gain = 4) : without_(without), gain_(gain) {}

  Trial Run(const TrialRequest& request) override {
    const bool x264 = request.settings.encoder == "x264";
    const int b_frames = request.settings.b_frames.value_or(x264 ? 3 : 0);
    asked_nvenc_ = asked_nvenc_ || (!x264 && b_frames > 0);
    Trial trial = test::DoneTrial(request, 600);
    test::SetCores(trial, x264 ? 0.3 : 0.05);
    trial.b_frames = b_frames;
    const double smaller = request.settings.size.width < 640 ? 20 : 0;
    trial.quality =
        test::QualityOf((x264 ? 50 - (b_frames == 3 ? 0 : 1) : without_ + (b_frames > 0 ? gain_ : 0)) - smaller);
    return trial;
  }
  bool asked_nvenc() const { return asked_nvenc_; }

 private:
  double without_, gain_;
  bool asked_nvenc_ = false;
};

const Show kShow;

Plan PlanWith(BFramesRunner& runner, bool recording_is_open, std::optional<int> most_b_frames = {},
              const std::set<std::string>& without_b_frames = {}) {
  TrialBook book(runner, {}, [](const auto&) {});
  Targets targets = test::FakeTargets();
  targets.most_b_frames = most_b_frames;
  targets.sizes = {{640, 360}, {480, 270}, {320, 180}};  // so many that half of the grid leaves trials for B-frames
  targets.rates = {{60, 1}};
  if (recording_is_open) targets.recording_sizes = {{640, 360}, {320, 180}};
  if (recording_is_open) targets.recording_rates = {{60, 1}};
  PlanRequest request{kShow, targets, {test::FakeFootage("clip")}, {"x264", "nvenc-h264"}, {2, 0.2}};
  request.without_b_frames = without_b_frames;
  return MakePlan(request, book, [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); });
}

TEST(Refinement, AnEncoderThatBFramesCarryPastTheOthersIsTaken) {
  for (const bool recording_is_open : {false, true}) {
    SCOPED_TRACE(recording_is_open);
    BFramesRunner runner(48);
    const Plan plan = PlanWith(runner, recording_is_open);
    ASSERT_TRUE(plan.chosen);
    EXPECT_EQ(plan.chosen->stream.settings.encoder, "nvenc-h264");
    EXPECT_EQ(plan.chosen->stream.settings.b_frames, 2);
    EXPECT_EQ(plan.chosen->stream.score, 52);
  }
}

TEST(Refinement, OneThatIsFarBehindWithoutThemIsTriedToo) {
  BFramesRunner runner(43, 9);
  const Plan plan = PlanWith(runner, false);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->stream.settings.encoder, "nvenc-h264");
  EXPECT_EQ(plan.chosen->stream.score, 52);
}

TEST(Refinement, WithinAPointWhatLeavesTheGameMoreIsTaken) {
  BFramesRunner runner(45.5);
  const Plan plan = PlanWith(runner, false);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->stream.settings.encoder, "nvenc-h264") << "x264's 50 points take a quarter of a core more";
  EXPECT_EQ(plan.chosen->stream.score, 49.5);
}

TEST(Refinement, WhereADestinationTakesNoneTheyCarryNobody) {
  BFramesRunner runner(48);
  EXPECT_EQ(PlanWith(runner, false, 0).chosen->stream.settings.encoder, "x264");
  EXPECT_FALSE(runner.asked_nvenc());
}

TEST(Refinement, OneWhoseDriverMakesNoneIsNotWalkedForThem) {
  BFramesRunner runner(43, 9);
  EXPECT_EQ(PlanWith(runner, false, {}, {"nvenc-h264"}).chosen->stream.settings.encoder, "x264");
  EXPECT_FALSE(runner.asked_nvenc());
}

TEST(Refinement, OneThatTheyCannotCarryPastTheOthersIsNotTriedWithThem) {
  BFramesRunner runner(41);
  EXPECT_EQ(PlanWith(runner, false).chosen->stream.settings.encoder, "x264");
  EXPECT_FALSE(runner.asked_nvenc());
}

}  // namespace
}  // namespace kettle
