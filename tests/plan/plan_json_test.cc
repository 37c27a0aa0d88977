// SPDX-License-Identifier: Apache-2.0
// A plan read back from what was written says the same.
#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "fakes.h"
#include "kettle/option/with_encoder.h"
#include "kettle/plan/plan.h"

namespace kettle {
namespace {

// Something in every field that is told.
Plan FullPlan() {
  Plan plan;
  plan.title = "Thursday league";
  plan.targets = test::FakeTargets();
  plan.targets.audio = BitRate::FromKbps(128);
  plan.targets.most_b_frames = 2;
  plan.targets.reasons = {{"stream.size", "1280x720", Message{"plan.best-picture"}, true}};
  plan.targets.warnings = {Message{"plan.stream-first"}};
  Budget budget;
  budget.carried_kbps = 9000;
  budget.carried_how = Message{"uplink.as-asked"};
  budget.reserved = {{"game", 200}};
  budget.one_for_all = {{"Quayside", 3500, Message{"uplink.as-asked"}}};
  plan.targets.budget = budget;
  plan.capacity = {2, 0.25, 8e9, 3e8};
  plan.first = First::kStream;
  Pair pair{test::FakeOption("x264", "veryfast", 120, 1, 62), test::FakeOption("nvenc-h264", "p4", 150, 0, 75), {}};
  pair.stream.marks = {Message{"trial.noisy"}};
  pair.stream.interval = 0.03;
  pair.stream.calm = pair.stream.clips = {{"harbour", 120, 0.5, 62, 60, 1}};
  pair.stream.settings.b_frames = 2;
  pair.recording.simulated = true;
  pair.cores = {{0}, {1}};
  pair.demand.cpu_cores = 1.4;
  plan.chosen = pair;
  plan.proving.attempts = {{pair, test::FakeProof(0, 3)}, {pair, test::FakeProof(0, 0)}};
  plan.other_sharing = plan.proving.attempts.front();
  plan.runner_up = test::FakeOption("x264", "faster", 70, 1.5, 64);
  Option broken = test::FakeOption("x264", "slow", 0, 0, kNotScored);
  broken.trouble = "no memory";
  plan.options[0] = {pair.stream, broken};
  plan.options[1] = {pair.recording};
  plan.pictures = {{{1280, 720}, {60, 1}, pair.stream}, {{1920, 1080}, {60, 1}, {}, broken}};
  plan.pictures.front().best->proven = true;
  plan.pictures.front().untried = {WithEncoder(pair.stream.settings, "x264", "slower"), 71};
  plan.placement.rejected = {{"x264 slow", "x264 any", pair.demand, Message{"plan.not-beside-the-other"}}};
  plan.ladder = {{"bit rate 2450 kbit/s", pair.stream.settings, 1000, 3, 0.4}};
  plan.chosen->destinations = {"Lantern"};
  plan.chosen->further = {{{"Quayside"}, pair.stream}};
  plan.each = EncodeEach{pair.stream, pair.demand, plan.chosen, true, Message{"each.only-way", {{"what", "codec"}}}};
  plan.recording_level = RecordingLevel{80, "harbour", {{23, 81, 9000}}, 23, {}};
  plan.colour = ColourCheck{{{"source", "yuv420p", "bt709", "bt709", "bt709", "tv"}}, {"stream"}, {1, 4}, 0.1};
  plan.disk = Disk{"/tmp", "ext4", "sda", false, 1000, WriteRate{3e8, 2e8, 100, 1}};
  plan.trade = {PointOf(pair, Message{"trade.costs", {{"lost", 1.5}}}),
                TradePoint{.size = {1280, 720}, .rate = {30, 1}}};
  plan.trade.front().taken = true;
  plan.stream_gives = 3;
  plan.game_gives = 0.05;
  plan.nearest = Message{"plan.not-beside-the-other"};
  plan.trials = 30, plan.grid = 200, plan.measured = 20, plan.reused = 10;
  plan.container = "mp4";
  plan.recording_hours = 5;
  plan.under_load = plan.simulated = true;
  return plan;
}

TEST(PlanJson, ReadBackItSaysTheSame) {
  const nlohmann::json written = FullPlan();
  EXPECT_EQ(nlohmann::json(written.get<Plan>()), written);
}

TEST(PlanJson, SoDoesOneThatChoseNothing) {
  Plan plan = FullPlan();
  plan.chosen.reset();
  plan.proving = {};
  plan.targets.budget.reset();
  plan.each.reset();
  plan.disk.reset();
  plan.targets.most_b_frames.reset();
  // Combinations are reasons of a choice.
  plan.placement = {};
  const nlohmann::json written = plan;
  const Plan read = written.get<Plan>();
  EXPECT_FALSE(read.chosen);
  EXPECT_EQ(read.options[0].at(1).trouble, "no memory");
  EXPECT_EQ(nlohmann::json(read), written);
}

TEST(PlanJson, OfAnEarlierVersionIsNotTakenForWhole) {
  nlohmann::json written = FullPlan();
  written.erase("pair");
  EXPECT_THROW(written.get<Plan>(), nlohmann::json::exception);
}

}  // namespace
}  // namespace kettle
