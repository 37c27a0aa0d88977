// SPDX-License-Identifier: Apache-2.0
#include "kettle/planner/pair_check.h"

#include <nlohmann/json.hpp>

#include "fakes.h"

namespace kettle {
namespace {

// A slower preset takes half as long again and looks two points better; the recording takes twice the stream's time.
test::Figures MadeUpTrial(const std::string&, int preset, bool recording, const std::string&) {
  const double fps = (recording ? 600 : 1200) / std::pow(1.5, preset);
  return {fps, 120 / fps, 1 - std::pow(10, -(40 + 2 * preset) / 50.0)};
}

class PairCheckTest : public testing::Test {
 protected:
  PairCheckTest() {
    targets_.recording_sizes = {targets_.recording.size};
    targets_.recording_rates = {targets_.recording.frame_rate};
    show_.stream_gives = 2;
  }
  PairCheck Check(const Capacity& capacity) {
    const PlanRequest request{show_, targets_, {test::FakeFootage("clip")}, {"x264"}, capacity};
    return CheckPairs(request, book_);
  }

  Show show_;
  Targets targets_ = test::FakeTargets();
  test::FakeRunner runner_{MadeUpTrial};
  TrialBook book_{runner_, {}, [](const auto&) {}};
};

TEST_F(PairCheckTest, FindsTheBestRecordingBesideAStreamThatLosesLittle) {
  const PairCheck check = Check({2, 0.2});
  EXPECT_EQ(check.trials, 18) << "nine presets of each";
  ASSERT_TRUE(check.best);
  ASSERT_TRUE(check.alone);
  EXPECT_GE(check.best->stream.score, *check.alone - 2 - 1e-6);
  EXPECT_TRUE(check.best->demand.fits);
  // Every pair that may be, by hand.
  double best = 0;
  for (int stream = 0; stream < 9; ++stream)
    for (int recording = 0; recording < 9; ++recording) {
      const test::Figures s = MadeUpTrial("", stream, false, ""), r = MadeUpTrial("", recording, true, "");
      const bool fits = s.cpu_cores + r.cpu_cores <= 1.6 && s.throughput_fps >= 75 && r.throughput_fps >= 75;
      if (fits && 40 + 2 * stream >= *check.alone - 2 - 1e-6) best = std::max(best, 40.0 + 2 * recording);
    }
  EXPECT_NEAR(check.best->recording.score, std::max(best, check.best->stream.score), 1e-6);
}

TEST_F(PairCheckTest, ComparesThePlansFirstPair) {
  PairCheck check = Check({2, 0.2});
  Plan plan;
  ComparePlan(plan, check);
  EXPECT_FALSE(check.plans);
  EXPECT_EQ(check.stream_loss(), 0);
  Pair pair = *check.best;
  pair.stream.score -= 3;
  plan.proving.attempts = {{pair, test::FakeProof(0, 0)}};
  ComparePlan(plan, check);
  EXPECT_NEAR(check.stream_loss(), 3, 1e-9);
  EXPECT_NEAR(nlohmann::json(check)["stream_loss"], 3, 1e-9);
}

TEST_F(PairCheckTest, NothingWhereNothingKeepsPace) { EXPECT_FALSE(Check({0.01, 0.2}).best); }

}  // namespace
}  // namespace kettle
