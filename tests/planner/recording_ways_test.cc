// SPDX-License-Identifier: Apache-2.0
// How to record where the show leaves it open: made-up machines on which pixels cost time.
#include <cmath>
#include <random>

#include "fakes.h"
#include "kettle/planner/make_plan.h"
#include "kettle/search/candidates.h"
#include "says.h"

namespace kettle {
namespace {

constexpr FrameSize kSource{1280, 720};
constexpr FrameRate k60{60, 1};

// One encoder on two processors: `pixels_a_second` with its fastest preset, each slower one takes half as long again
// and looks 4 points better; a recording looks the better the more pixels it has, and the more levels it is given.
class PixelRunner final : public TrialRunner {
 public:
  explicit PixelRunner(double pixels_a_second, double recording_step = 1, double look_ahead_gain = 0)
      : speed_(pixels_a_second), recording_step_(recording_step), look_ahead_gain_(look_ahead_gain) {}

  Trial Run(const TrialRequest& request) override {
    const EncodeSettings& s = request.settings;
    const auto& presets = FindFamily(s.encoder).presets;
    const auto preset = static_cast<double>(std::find(presets.begin(), presets.end(), s.preset) - presets.begin());
    const double pixels = static_cast<double>(s.size.pixels());
    const bool looks_ahead = s.look_ahead_frames.value_or(0) > 0;
    Trial trial = test::DoneTrial(request, speed_ / pixels / std::pow(1.5, preset) * (looks_ahead ? 0.8 : 1));
    test::SetCores(trial, 2 * s.frame_rate.fps() / trial.throughput_fps);
    trial.mean_kbps = s.bit_rate.kbps() > 0 ? s.bit_rate.kbps() : 20'000;
    const bool stream = s.rate_control == RateControl::kConstantBitRate;
    const FrameSize viewed = request.footage.viewing_size.width > 0 ? request.footage.viewing_size : kSource;
    const double lost_detail = 30 * std::log2(std::max(1.0, std::sqrt(static_cast<double>(viewed.pixels()) / pixels)));
    const double level = s.quality_level.value_or(23);
    trial.quality = test::QualityOf(stream ? 40 + 4 * preset + (looks_ahead ? look_ahead_gain_ : 0)
                                           : 80 + 2 * (23 - level) + recording_step_ * preset - lost_detail);
    trial.quality->frame_rate_share = s.frame_rate == k60 ? 1 : 0.9;
    return trial;
  }

 private:
  double speed_;
  double recording_step_, look_ahead_gain_;  // points: of the recording from one preset to the next, of the stream
};

Show AutoShow() {
  Show show;
  show.source_size = kSource;
  show.source_rate = k60;
  show.recording_score = 80;
  return show;
}

// A stream of 640x360 at 60, a recording of which nothing is said.
Targets AutoTargets() {
  Targets targets = test::FakeTargets();
  targets.stream.size = {640, 360};
  targets.recording.size = kSource;
  targets.recording_sizes = RecordingSizes(kSource);
  targets.recording_rates = RecordingRates(k60);
  return targets;
}

Plan PlanOn(double megapixels_a_second, const Show& show, const Targets& targets,
            const std::function<Proof(const Pair&)>& prove, double recording_step = 1, double look_ahead_gain = 0) {
  PixelRunner runner(megapixels_a_second * 1e6, recording_step, look_ahead_gain);
  TrialBook book(runner, {}, [](const auto&) {});
  Footage footage = test::FakeFootage("clip");
  footage.size = kSource;
  return MakePlan({show, targets, {footage}, {"x264"}, {2, 0.2}}, book, prove);
}
Plan PlanOn(double megapixels_a_second, const Show& show = AutoShow()) {
  return PlanOn(megapixels_a_second, show, AutoTargets(),
                [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); });
}

double AloneOn(double megapixels_a_second) {
  Show show = AutoShow();
  show.recording_is_stream = true;
  return PlanOn(megapixels_a_second, show).chosen->stream.score;
}

const TradePoint& TakenOf(const Plan& plan) {
  return *std::find_if(plan.trade.begin(), plan.trade.end(), [](const TradePoint& point) { return point.taken; });
}

TEST(RecordingWays, AStrongMachineRecordsTheSourcesOwnPicture) {
  const Plan plan = PlanOn(4000);
  ASSERT_TRUE(plan.chosen);
  EXPECT_FALSE(plan.chosen->one_encode);
  EXPECT_EQ(plan.chosen->recording.settings.size, kSource);
  EXPECT_EQ(plan.chosen->recording.settings.frame_rate, k60);
  EXPECT_NEAR(plan.chosen->recording.score, 80, 2);
  EXPECT_EQ(plan.trade.size(), 2u) << "nothing smaller can be better";
}

TEST(RecordingWays, WhatCostsTheStreamTooMuchGivesWay) {
  const double speed = 330;
  const Plan plan = PlanOn(speed);
  ASSERT_TRUE(plan.chosen);
  EXPECT_FALSE(plan.chosen->one_encode);
  const EncodeSettings& recording = plan.chosen->recording.settings;
  EXPECT_LT(static_cast<double>(recording.size.pixels()) * recording.frame_rate.fps(),
            static_cast<double>(kSource.pixels()) * 60);
  EXPECT_GE(plan.chosen->stream.score, AloneOn(speed) - 2);
  EXPECT_EQ(plan.chosen->stream.settings.frame_rate, k60);
  EXPECT_TRUE(TakenOf(plan).recording_score);
  const auto whole = std::find_if(plan.trade.begin(), plan.trade.end(), [](const TradePoint& point) {
    return !point.one_encode && point.size == kSource && point.rate == k60;
  });
  ASSERT_NE(whole, plan.trade.end());
  EXPECT_FALSE(whole->taken);
  EXPECT_FALSE(whole->why.empty());
}

TEST(RecordingWays, LookAheadThatTheStreamHasAloneIsNotSpentOnARecording) {
  int own = 0;
  for (const double speed : {250., 330., 400., 500., 600., 700., 800., 1000., 1300., 1700.}) {
    const auto plan_with = [&](bool alone) {
      Show show = AutoShow();
      show.recording_is_stream = alone;
      return PlanOn(
          speed, show, AutoTargets(), [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); }, 1, 3.9);
    };
    const Plan alone = plan_with(true), plan = plan_with(false);
    ASSERT_TRUE(alone.chosen && plan.chosen) << speed;
    EXPECT_GE(plan.chosen->stream.score, alone.chosen->stream.score - 2) << speed;
    own += !plan.chosen->one_encode;
  }
  EXPECT_GE(own, 3);
}

TEST(RecordingWays, WhereNothingFitsBesideItTheStreamIsRecorded) {
  const Plan plan = PlanOn(40);
  ASSERT_TRUE(plan.chosen);
  EXPECT_TRUE(plan.chosen->one_encode);
  EXPECT_EQ(plan.chosen->recording.settings, plan.chosen->stream.settings);
  EXPECT_EQ(plan.verdict(), PlanVerdict::kHolds);
  EXPECT_TRUE(TakenOf(plan).one_encode);
  EXPECT_EQ(plan.chosen->stream.score, AloneOn(40));
  const nlohmann::json json = plan;
  EXPECT_EQ(json["recording"]["own_encode"], false);
  EXPECT_EQ(json.dump().find("recording.preset"), std::string::npos) << "there is none to explain";
}

TEST(RecordingWays, AtAGivenBitRateTheRecordingTakesWhatTheStreamMayGive) {
  Targets targets = AutoTargets();
  targets.recording_sizes = {kSource};
  int better = 0;
  for (const double speed : {250., 330., 400., 500., 600., 700., 800., 1000., 1300., 1700.}) {
    const auto plan_with = [&](double gives) {
      Show show = AutoShow();
      show.recording_score.reset();
      show.stream_gives = gives;
      return PlanOn(
          speed, show, targets, [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); }, 6);
    };
    const Plan careful = plan_with(2), generous = plan_with(9);  // two presets' worth
    ASSERT_TRUE(careful.chosen && generous.chosen);
    EXPECT_GE(careful.chosen->stream.score, AloneOn(speed) - 2) << speed;
    EXPECT_GE(generous.chosen->stream.score, AloneOn(speed) - 9) << speed;
    const bool same_way =
        generous.chosen->recording.settings.frame_rate == careful.chosen->recording.settings.frame_rate &&
        !generous.chosen->one_encode && !careful.chosen->one_encode;
    better += same_way && generous.chosen->recording.score > careful.chosen->recording.score + 1;
  }
  EXPECT_GE(better, 2) << "in the same picture";
}

TEST(RecordingWays, FavouringTheRecordingLetsTheStreamPay) {
  const double speed = 330;
  Show show = AutoShow();
  show.favour = Favour::kRecording;
  const Plan plan = PlanOn(speed, show);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->recording.settings.size, kSource);
  EXPECT_LT(plan.chosen->stream.score, AloneOn(speed) - 2);
}

// All but the fastest preset are too slow at the levels that the goal asks for, though not at the rule's bit rate.
class SlowAtGoodLevels final : public TrialRunner {
 public:
  Trial Run(const TrialRequest& request) override {
    Trial trial = strong_.Run(request);
    if (request.settings.quality_level && request.settings.preset != "ultrafast") {
      trial.quality.reset();
      trial.throughput_fps = 20;
      trial.headroom = 1 - request.settings.frame_rate.fps() / trial.throughput_fps;
    }
    return trial;
  }

 private:
  PixelRunner strong_{4000e6};
};

TEST(RecordingWays, TheLevelIsSearchedWithAPresetThatIsFastEnoughForIt) {
  SlowAtGoodLevels runner;
  TrialBook book(runner, {}, [](const auto&) {});
  Footage footage = test::FakeFootage("clip");
  footage.size = kSource;
  const Plan plan = MakePlan({AutoShow(), AutoTargets(), {footage}, {"x264"}, {2, 0.2}}, book,
                             [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); });
  ASSERT_TRUE(plan.chosen && plan.recording_level);
  EXPECT_TRUE(plan.recording_level->level);
  EXPECT_EQ(plan.chosen->recording.settings.rate_control, RateControl::kConstantQuality);
  EXPECT_EQ(plan.chosen->recording.settings.preset, "ultrafast");
  EXPECT_NEAR(plan.chosen->recording.score, 80, 2);
}

TEST(RecordingWays, WhatFailsInRealTimeGivesWayToALighterOneAndAtLastToOneEncode) {
  const Plan plan = PlanOn(4000, AutoShow(), AutoTargets(),
                           [](const Pair& pair) { return test::FakeProof(0, pair.one_encode ? 0 : 9); });
  ASSERT_TRUE(plan.chosen);
  EXPECT_TRUE(plan.chosen->one_encode);
  EXPECT_LE(plan.proving.attempts.size(), 5u);
  int failed = 0;
  for (const TradePoint& point : plan.trade) failed += point.why == Message{"trade.failed-proof"};
  EXPECT_GE(failed, 1);
}

// Trials tell each encode alone; together, in real time, they take a third more.
TEST(RecordingWays, WhatRealTimeTakesMoreCountsWhenAllIsWeighedAgain) {
  constexpr double kMore = 1.35;
  int own = 0, failed_first = 0;
  for (const double speed : {120., 250., 330., 400., 500., 700., 900., 1300.}) {
    const Plan plan = PlanOn(speed, AutoShow(), AutoTargets(), [](const Pair& pair) {
      const double needed = kMore * DemandOf(pair, {2, 0.2}).cpu_cores;
      Proof proof = test::FakeProof(0, 0);
      if (needed > 2) proof = test::FakeProof(0, static_cast<int>(proof.stream.frames * (1 - 2 / needed)));
      proof.cpu_cores = std::min(2.0, needed);
      return proof;
    });
    const Plan slower = PlanOn(speed / kMore);  // where the trials told it at once
    ASSERT_TRUE(plan.chosen && slower.chosen) << speed;
    EXPECT_EQ(plan.verdict(), PlanVerdict::kHolds) << speed;
    EXPECT_GE(plan.chosen->stream.score, slower.chosen->stream.score - 2) << speed;
    EXPECT_EQ(plan.chosen->one_encode, slower.chosen->one_encode) << speed;
    EXPECT_GE(plan.chosen->recording.score, slower.chosen->recording.score - 2) << speed;
    own += !plan.chosen->one_encode;
    failed_first += plan.proving.attempts.size() > 1;
  }
  EXPECT_GE(own, 3);
  EXPECT_GE(failed_first, 3);
}

// The machine is slow while the first pair is proven, and nothing tells why; later runs take what the trials say.
TEST(RecordingWays, ARunThatALaterOneContradictsCostsTheStreamNothing) {
  constexpr double kSlow = 1.8;
  int stepped_down = 0;
  for (const double speed : {120., 250., 330., 400., 500., 700., 900., 1300.}) {
    const auto plan_where = [&](bool slow_at_first) {
      int runs = 0;
      return PlanOn(speed, AutoShow(), AutoTargets(), [&](const Pair& pair) {
        const double needed = (slow_at_first && runs++ == 0 ? kSlow : 1) * DemandOf(pair, {2, 0.2}).cpu_cores;
        Proof proof = test::FakeProof(0, 0);
        proof.cpu_cores = std::min(2.0, needed);
        return proof;
      });
    };
    const Plan plan = plan_where(true), quiet = plan_where(false);
    ASSERT_TRUE(plan.chosen && quiet.chosen) << speed;
    EXPECT_EQ(plan.verdict(), PlanVerdict::kHolds) << speed;
    EXPECT_GE(plan.chosen->stream.score, quiet.chosen->stream.score - 0.5) << speed;
    EXPECT_GE(plan.chosen->recording.score, quiet.chosen->recording.score - 1) << speed;
    EXPECT_LE(plan.proving.attempts.size(), 5u) << speed;
    stepped_down += plan.proving.attempts.size() > 2;
  }
  EXPECT_GE(stepped_down, 3) << "the slow run was believed, then not any more";
}

// Where a full machine takes more for the same, a light pair contradicts a heavy one for good.
TEST(RecordingWays, WhatHoldsAlreadyIsNotProvenAgainOnTheWayDown) {
  int tried_again = 0;
  for (double speed = 30; speed < 1300; speed *= 1.15) {
    const Plan plan = PlanOn(speed, AutoShow(), AutoTargets(), [&](const Pair& pair) {
      const double needed = DemandOf(pair, {2, 0.2}).cpu_cores;
      Proof proof = test::FakeProof(0, 0);
      proof.cpu_cores = std::min(2.0, needed > 1.2 ? 1.45 * needed : needed);
      return proof;
    });
    ASSERT_TRUE(plan.chosen) << speed;
    EXPECT_EQ(plan.verdict(), PlanVerdict::kHolds) << speed;
    const auto& attempts = plan.proving.attempts;
    int holding = 0;
    for (const Attempt& attempt : attempts)
      holding += attempt.has_room(plan.capacity) && SameSettings(attempt.pair, attempts.back().pair);
    EXPECT_EQ(holding, 1) << speed;
    tried_again += attempts.size() > 2;
  }
  EXPECT_GE(tried_again, 3);
}

TEST(RecordingWays, OneEncodeThatFailsStepsDownToALighterOne) {
  Targets targets = AutoTargets();
  targets.sizes = {{640, 360}, {320, 180}};
  targets.rates = {k60};
  const Plan plan = PlanOn(60, AutoShow(), targets, [](const Pair& pair) {
    return test::FakeProof(pair.stream.settings.size == FrameSize{640, 360} ? 9 : 0, 0);
  });
  ASSERT_TRUE(plan.chosen);
  EXPECT_TRUE(plan.chosen->one_encode);
  EXPECT_EQ(plan.chosen->stream.settings.size, (FrameSize{320, 180}));
  EXPECT_EQ(plan.chosen->recording.settings, plan.chosen->stream.settings);
}

TEST(RecordingWays, NothingAtAllNamesOneEncodeThatWould) {
  const Plan plan = PlanOn(8);
  EXPECT_FALSE(plan.chosen);
  EXPECT_THAT(plan.nearest, test::Says("one encode for stream and recording"));
}

TEST(RecordingWays, TheStreamsOwnEncodeCanBeAskedFor) {
  Show show = AutoShow();
  show.recording_is_stream = true;
  const Plan plan = PlanOn(4000, show);
  ASSERT_TRUE(plan.chosen);
  EXPECT_TRUE(plan.chosen->one_encode);
  EXPECT_TRUE(plan.trade.empty()) << "there was nothing to weigh";
}

// What each way gives by itself, asked for in the show.
TEST(RecordingWays, ThePairTakenIsAsGoodAsTheBestOfAllWaysTriedOneByOne) {
  std::mt19937 random(1);
  int own = 0, left_out = 0;  // left out unmeasured, for they would look no better than the stream's own encode
  for (int machine = 0; machine < 40; ++machine) {
    const double speed = std::exp(std::uniform_real_distribution<>(std::log(60), std::log(3000))(random));
    const Plan plan = PlanOn(speed);
    const double alone = AloneOn(speed);
    ASSERT_TRUE(plan.chosen) << speed;
    EXPECT_GE(plan.chosen->stream.score, alone - 2) << speed;
    for (const TradePoint& point : plan.trade) left_out += point.why == Message{"trade.looks-no-better"};
    double best = kNotScored;  // of the recordings beside which the stream keeps its score
    for (const FrameSize size : RecordingSizes(kSource))
      for (const FrameRate rate : RecordingRates(k60)) {
        Targets targets = AutoTargets();
        targets.recording.size = size;
        targets.recording.frame_rate = rate;
        targets.recording_sizes = {size};
        targets.recording_rates = {rate};
        const Plan given =
            PlanOn(speed, AutoShow(), targets, [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); });
        if (given.chosen && given.chosen->stream.score >= alone - 2)
          best = std::max(best, given.chosen->recording.score);
      }
    if (best == kNotScored) continue;
    ++own;
    // What passes the goal is no better: the level is the worst that reaches it.
    EXPECT_GE(plan.chosen->recording.score, std::min(best, 80.0) - 2) << speed;
  }
  EXPECT_GT(own, 20);
  EXPECT_GE(left_out, 3);
}

}  // namespace
}  // namespace kettle
