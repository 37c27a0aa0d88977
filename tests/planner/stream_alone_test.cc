// SPDX-License-Identifier: Apache-2.0
// The stream as the only encode, on a machine where look-ahead looks better and costs time.
#include <cmath>

#include "fakes.h"
#include "kettle/planner/make_plan.h"

namespace kettle {
namespace {

constexpr FrameSize kLarge{640, 360}, kSmall{512, 288};

// On two processors the fastest preset alone keeps pace, each slower one takes twice as long. The large picture looks a
// point better; look-ahead makes both look four points better, and takes a tenth of the speed.
class LookAheadRunner final : public TrialRunner {
 public:
  Trial Run(const TrialRequest& request) override {
    const EncodeSettings& s = request.settings;
    const auto& presets = FindFamily(s.encoder).presets;
    const auto preset = static_cast<double>(std::find(presets.begin(), presets.end(), s.preset) - presets.begin());
    const bool looks_ahead = s.look_ahead_frames.value_or(0) > 0, large = s.size == kLarge;
    Trial trial = test::DoneTrial(request, 90 / std::pow(2, preset) * (looks_ahead ? 0.9 : 1) * (large ? 1 : 1.5625));
    test::SetCores(trial, 2 * s.frame_rate.fps() / trial.throughput_fps);
    trial.quality = test::QualityOf(30 + preset + large + (looks_ahead ? 4 : 0));
    return trial;
  }
};

Plan PlanWhereRealTimeTakes(double times) {
  LookAheadRunner runner;
  TrialBook book(runner, {}, [](const auto&) {});
  Show show;
  show.recording_is_stream = true;
  Targets targets = test::FakeTargets();
  targets.stream.size = kLarge;
  targets.sizes = {kLarge, kSmall};
  targets.rates = {{60, 1}};
  return MakePlan({show, targets, {test::FakeFootage("clip")}, {"x264"}, {2, 0.2}}, book, [&](const Pair& pair) {
    Proof proof = test::FakeProof(0, 0);
    proof.cpu_cores = std::min(2.0, times * DemandOf(pair, {2, 0.2}).cpu_cores);
    return proof;
  });
}

TEST(StreamAlone, HasLookAheadWhereItFits) {
  const Plan plan = PlanWhereRealTimeTakes(1);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->stream.settings.size, kLarge);
  EXPECT_NEAR(plan.chosen->stream.score, 35, 0.1);
}

// The first run is tight: the large picture has room without look-ahead only, the small one with it.
TEST(StreamAlone, ALighterPictureWithLookAheadBeatsALargerOneWithNoRoomForIt) {
  const Plan plan = PlanWhereRealTimeTakes(1.1);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.verdict(), PlanVerdict::kHolds);
  EXPECT_EQ(plan.chosen->stream.settings.size, kSmall);
  EXPECT_NEAR(plan.chosen->stream.score, 34, 0.1);
}

}  // namespace
}  // namespace kettle
