// SPDX-License-Identifier: Apache-2.0
#include "kettle/diagnosis/climb.h"

#include <nlohmann/json.hpp>

#include "support.h"

namespace kettle {
namespace {

class ClimbTest : public testing::Test {
 protected:
  ClimbTest() {
    plan_.stream = test::SmallSettings("x264", "faster");
    plan_.recording = test::SmallSettings("x264", "fast");
    for (const char* preset : {"faster", "veryfast", "superfast"}) {
      PlanStep step{std::string(preset) + " for the recording", 10, 0, 0.2, plan_.recording};
      step.settings.preset = preset;
      plan_.recording_encoder.push_back(step);
    }
    PlanStep step{"veryfast for the stream", 10, 0, 0.2, plan_.stream};
    step.settings.preset = "veryfast";
    plan_.stream_encoder = {step};
    step = {"bit rate 300 kbit/s", 0, 100, 0.3, plan_.stream};
    step.settings.bit_rate = step.settings.maximum_bit_rate = BitRate::FromKbps(300);
    plan_.line = {step};
  }
  // One lost frame to that cause, with the step of the plan that cures it.
  static RehearsalVerdict Lost(Cause cause, const std::vector<PlanStep>& steps) {
    Diagnosis::Cure cure{cause, 1, {}};
    if (!steps.empty()) cure.step = steps.front();
    return {1, false, {{}, {cure}}};
  }
  static constexpr auto kHolds = [] { return RehearsalVerdict{0, true, {}}; };
  PlanFile plan_;
};

TEST_F(ClimbTest, APlanThatHoldsStaysAsItIs) {
  const Climb climb = ClimbDown(plan_, 6, [](const PlanFile&) { return kHolds(); });
  EXPECT_TRUE(climb.holds);
  EXPECT_EQ(climb.rehearsals.size(), 1u);
  EXPECT_EQ(climb.plan.recording, plan_.recording);
}

TEST_F(ClimbTest, GoesDownUntilItHolds) {
  const Climb climb = ClimbDown(plan_, 6, [](const PlanFile& plan) {
    return plan.recording.preset == "veryfast" ? kHolds() : Lost(Cause::kRecordingEncoder, plan.recording_encoder);
  });
  EXPECT_TRUE(climb.holds);
  ASSERT_EQ(climb.rehearsals.size(), 3u) << "the earlier step lies within the later one: not taken back";
  EXPECT_EQ(climb.rehearsals[1].step, "faster for the recording");
  EXPECT_EQ(climb.rehearsals[2].step, "veryfast for the recording");
  EXPECT_EQ(climb.plan.recording.preset, "veryfast");
  EXPECT_EQ(climb.plan.recording_encoder.size(), 1u) << "only superfast is left below it";
}

TEST_F(ClimbTest, TakesBackWhatTheLastStepMadeNeedless) {
  // The stream's encoder is blamed first, but it is the recording that matters.
  const Climb climb = ClimbDown(plan_, 6, [](const PlanFile& plan) {
    if (plan.recording.preset == "faster") return kHolds();
    return plan.stream_encoder.empty() ? Lost(Cause::kRecordingEncoder, plan.recording_encoder)
                                       : Lost(Cause::kStreamEncoder, plan.stream_encoder);
  });
  EXPECT_TRUE(climb.holds);
  ASSERT_EQ(climb.rehearsals.size(), 4u);
  EXPECT_TRUE(climb.rehearsals[3].taken_back);
  EXPECT_EQ(climb.rehearsals[3].step, "veryfast for the stream");
  EXPECT_EQ(climb.plan.stream.preset, "faster") << "as the plan had it";
  EXPECT_EQ(climb.plan.recording.preset, "faster");
}

TEST_F(ClimbTest, KeepsAStepThatIsNeeded) {
  const Climb climb = ClimbDown(plan_, 6, [](const PlanFile& plan) {
    if (plan.stream.bit_rate.kbps() > 300) return Lost(Cause::kUplink, plan.line);
    return plan.recording.preset == "fast" ? Lost(Cause::kRecordingEncoder, plan.recording_encoder) : kHolds();
  });
  EXPECT_TRUE(climb.holds);
  EXPECT_EQ(climb.rehearsals.size(), 4u);
  EXPECT_FALSE(climb.rehearsals.back().holds);
  EXPECT_EQ(climb.plan.stream.bit_rate.kbps(), 300);
  EXPECT_EQ(climb.plan.recording.preset, "faster");
}

TEST_F(ClimbTest, TheRecordingMovesToAnotherDevice) {
  plan_.recording = test::SmallSettings("nvenc-h264", "p4");
  plan_.recording_device = "gpu";
  plan_.recording_elsewhere = {{"CPU (x264 superfast)", 0, 0, 3, test::SmallSettings("x264", "superfast"), "cpu"}};
  const Climb climb = ClimbDown(plan_, 6, [](const PlanFile& plan) {
    return plan.recording_device == "cpu" ? kHolds() : Lost(Cause::kRecordingFailed, plan.recording_elsewhere);
  });
  EXPECT_TRUE(climb.holds);
  EXPECT_EQ(climb.plan.recording.encoder, "x264");
  EXPECT_TRUE(climb.plan.recording_elsewhere.empty());
  EXPECT_TRUE(climb.plan.recording_encoder.empty()) << "those were presets of the other encoder";
}

TEST_F(ClimbTest, StopsWhereNoStepHelps) {
  const Climb disk = ClimbDown(plan_, 6, [](const PlanFile&) { return Lost(Cause::kDisk, {}); });
  EXPECT_FALSE(disk.holds);
  EXPECT_THAT(disk.stopped, testing::HasSubstr("the disk"));
  EXPECT_EQ(disk.rehearsals.size(), 1u);
  const Climb endless =
      ClimbDown(plan_, 2, [](const PlanFile& plan) { return Lost(Cause::kRecordingEncoder, plan.recording_encoder); });
  EXPECT_FALSE(endless.holds);
  EXPECT_EQ(endless.rehearsals.size(), 3u);
  EXPECT_THAT(endless.stopped, testing::HasSubstr("plan again"));
  const Climb unexplained = ClimbDown(plan_, 2, [](const PlanFile&) { return RehearsalVerdict{1, false, {}}; });
  EXPECT_THAT(unexplained.stopped, testing::HasSubstr("no counter"));
  EXPECT_EQ(nlohmann::json(endless)["rehearsals"].size(), 3u);
}

}  // namespace
}  // namespace kettle
