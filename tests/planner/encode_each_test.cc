// SPDX-License-Identifier: Apache-2.0
// An encode for each destination, on made-up machines.
#include "fakes.h"
#include "kettle/planner/make_plan.h"
#include "report/sentence.h"

namespace kettle {
namespace {

using testing::HasSubstr;
using Names = std::vector<std::string>;

// Each doubling of the bit rate is worth so many points; a preset slower takes half as long again and adds a point. A
// GPU's encoders look 20 points worse.
class RateRunner final : public TrialRunner {
 public:
  RateRunner(double fastest_fps, double points, double gpus_behind = 20)
      : fastest_fps_(fastest_fps), points_(points), gpus_behind_(gpus_behind) {}

  Trial Run(const TrialRequest& request) override {
    const EncodeSettings& s = request.settings;
    const auto& presets = FindFamily(s.encoder).presets;
    const auto preset = static_cast<double>(std::find(presets.begin(), presets.end(), s.preset) - presets.begin());
    const double fps = fastest_fps_ / std::pow(1.5, preset);
    Trial trial = test::DoneTrial(request, fps);
    test::SetCores(trial, 2 * s.frame_rate.fps() / fps);
    const double behind = FindFamily(s.encoder).device == DeviceKind::kCpu ? 0 : gpus_behind_;
    trial.quality = test::QualityOf(40 - behind + preset + points_ * std::log2(s.bit_rate.kbps() / 1000));
    return trial;
  }

 private:
  double fastest_fps_, points_, gpus_behind_;
};

struct Machine {
  double fastest_fps = 2000, points = 10;
};

OwnStream Own(const std::string& name, const Targets& targets, double kbps, const std::string& family = "x264") {
  OwnStream own{{name}, targets.stream, {targets.stream.size}, {targets.stream.frame_rate}, {FindFamily(family).codec},
                {},     {family}};
  own.stream.bit_rate = own.stream.maximum_bit_rate = BitRate::FromKbps(kbps);
  return own;
}

// Quayside takes 1000 kbit/s and Lantern 4000, of which the recording is the stream's own encode.
Plan PlanFor(
    const Machine& machine, const Names& served = {}, const std::string& lanterns_family = "x264",
    const std::function<Proof(const Pair&)>& prove = [](const Pair& pair) {
      Proof proof = test::ProofAsPredicted(pair, 2);
      for (std::size_t i = 0; i < pair.further.size(); ++i) proof.further.push_back(proof.stream);
      return proof;
    }) {
  RateRunner runner(machine.fastest_fps, machine.points);
  TrialBook book(runner, {}, [](const auto&) {});
  Show show;
  show.recording_is_stream = true;
  Targets targets = test::FakeTargets();
  targets.stream.bit_rate = targets.stream.maximum_bit_rate = BitRate::FromKbps(1000);
  targets.served = served;
  PlanRequest request{show, targets, {test::FakeFootage("clip")}, {"x264"}, {2, 0.2}};
  request.own_streams = {Own("Quayside", targets, 1000), Own("Lantern", targets, 4000, lanterns_family)};
  return MakePlan(request, book, prove);
}

TEST(EncodeEach, IsTakenWhereDestinationsGainByIt) {
  const Plan plan = PlanFor({});
  ASSERT_TRUE(plan.chosen);
  ASSERT_TRUE(plan.each);
  EXPECT_TRUE(plan.each->taken) << Sentence(plan.each->why);
  EXPECT_EQ(plan.chosen->destinations, Names{"Lantern"});
  EXPECT_EQ(plan.chosen->stream.settings.bit_rate.kbps(), 4000);
  ASSERT_EQ(plan.chosen->further.size(), 1u);
  EXPECT_EQ(plan.chosen->further[0].option.settings.bit_rate.kbps(), 1000);
  EXPECT_TRUE(plan.chosen->one_encode) << "the best looking one is recorded";
  EXPECT_EQ(plan.verdict(), PlanVerdict::kHolds);
  EXPECT_TRUE(plan.chosen->demand.fits);
  EXPECT_GE(plan.chosen->further[0].option.score, plan.each->one->score - 2) << "nobody loses much";
  EXPECT_EQ(plan.targets.stream.bit_rate.kbps(), 4000) << "the reasons are those of the first stream";
  EXPECT_THAT(Sentence(plan.each->why), HasSubstr("points better"));
}

TEST(EncodeEach, IsNotWorthItForLittle) {
  const Plan plan = PlanFor({2000, 0.5});
  ASSERT_TRUE(plan.each);
  EXPECT_FALSE(plan.each->taken);
  EXPECT_THAT(Sentence(plan.each->why), HasSubstr("too little"));
  EXPECT_TRUE(plan.chosen->further.empty());
  EXPECT_EQ(plan.verdict(), PlanVerdict::kHolds);
}

// What the show that takes HEVC at one of two destinations asks beyond the plan for one encode, and why there is no
// more.
struct Scouting {
  int trials;
  Message why;
};
Scouting ScoutHevc(double points_behind) {
  RateRunner runner(2000, 10, points_behind);
  TrialBook book(runner, {}, [](const auto&) {});
  Show show;
  show.recording_is_stream = true;
  const Targets targets = test::FakeTargets();
  PlanRequest request{show, targets, {test::FakeFootage("clip")}, {"x264"}, {2, 0.2}};
  const double kbps = targets.stream.bit_rate.kbps();
  const auto prove = [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); };
  const int alone = MakePlan(request, book, prove).trials;
  request.own_streams = {Own("Quayside", targets, kbps), Own("Lantern", targets, kbps, "nvenc-hevc")};
  request.own_streams[1].families = {"x264", "nvenc-hevc"};
  const Plan plan = MakePlan(request, book, prove);
  EXPECT_TRUE(plan.each);
  EXPECT_FALSE(plan.each->taken);
  return {plan.trials - alone, plan.each->why};
}

TEST(EncodeEach, AnEncoderFarBehindIsNoReasonToSearchAgain) {
  const Scouting scouting = ScoutHevc(20);
  EXPECT_EQ(scouting.why, Message{"each.other-codecs-no-better"});
  EXPECT_LE(scouting.trials, 8);
}

// The preset looked at first is five points behind x264's best, the slowest that holds two.
TEST(EncodeEach, AnEncoderThatSlowerPresetsBringNearIsSearched) {
  EXPECT_NE(ScoutHevc(0).why, Message{"each.other-codecs-no-better"});
  EXPECT_EQ(ScoutHevc(1).why, Message{"each.other-codecs-no-better"});
}

TEST(EncodeEach, IsNotTakenWhereItDoesNotFit) {
  const Plan plan = PlanFor({130, 10});  // the fastest preset alone takes 0.92 of the 1.6 cores
  ASSERT_TRUE(plan.each);
  EXPECT_FALSE(plan.each->taken);
  EXPECT_THAT(Sentence(plan.each->why), HasSubstr("of 1.60 cores"));
  EXPECT_EQ(plan.verdict(), PlanVerdict::kHolds) << "one for all does";
}

TEST(EncodeEach, OneForAllStandsWhereTheOthersLoseFrames) {
  const Plan plan = PlanFor({}, {}, "x264", [](const Pair& pair) {
    Proof proof = test::FakeProof(0, 0);
    for (std::size_t i = 0; i < pair.further.size(); ++i) {
      proof.further.push_back(proof.stream);
      proof.further.back().skipped = 7;
    }
    return proof;
  });
  ASSERT_TRUE(plan.each);
  EXPECT_FALSE(plan.each->taken);
  EXPECT_THAT(Sentence(plan.each->why), HasSubstr("proof run"));
  EXPECT_EQ(plan.verdict(), PlanVerdict::kHolds);
  EXPECT_TRUE(plan.chosen->further.empty());
  EXPECT_GT(plan.proving.attempts.size(), 1u) << "the runs that failed are told too";
}

TEST(EncodeEach, WhereNoCodecSuitsAllItIsTheOnlyWay) {
  const Plan plan = PlanFor({}, {"Quayside"}, "x265");
  ASSERT_TRUE(plan.chosen);
  EXPECT_TRUE(plan.each->taken);
  EXPECT_FALSE(plan.each->one);
  EXPECT_EQ(plan.chosen->stream.settings.encoder, "x264") << "recorded too: H.264 plays anywhere";
  EXPECT_EQ(plan.chosen->further[0].option.settings.encoder, "x265");
}

TEST(EncodeEach, AndNothingHoldsWhereThatIsTooMuch) {
  const Plan plan = PlanFor({130, 10}, {"Quayside"}, "x265");
  EXPECT_FALSE(plan.chosen);
  EXPECT_EQ(plan.verdict(), PlanVerdict::kOverload);
  EXPECT_THAT(Sentence(plan.nearest), HasSubstr("one encode for Quayside alone"));
}

TEST(EncodeEach, APlanForSomeOfThemIsNone) {
  const auto prove = [](const Pair&) { return test::FakeProof(5, 0); };
  const Plan plan = PlanFor({}, {"Quayside"}, "x265", prove);
  EXPECT_FALSE(plan.chosen);
  EXPECT_EQ(plan.verdict(), PlanVerdict::kOverload);
}

}  // namespace
}  // namespace kettle
