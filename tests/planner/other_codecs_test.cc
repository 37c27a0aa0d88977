// SPDX-License-Identifier: Apache-2.0
// The recording's codec, on made-up machines: what each encoder costs, and how large its files are.
#include <cmath>

#include "fakes.h"
#include "kettle/planner/make_plan.h"
#include "report/sentence.h"

namespace kettle {
namespace {

using testing::HasSubstr;

constexpr FrameSize kSource{1280, 720};

// What an encoder does with a picture of the source's size: its fastest preset's frames a second, and its bits where
// H.264 takes one.
struct Coder {
  double fps = 0, bits = 1;
};
using Coders = std::map<std::string, Coder>;

// Slower presets take half as long again; a level is two points, and a tenth more or fewer bits.
class CodecRunner final : public TrialRunner {
 public:
  explicit CodecRunner(Coders coders) : coders_(std::move(coders)) {}

  Trial Run(const TrialRequest& request) override {
    const EncodeSettings& s = request.settings;
    const Coder coder = coders_.at(s.encoder);
    const auto& presets = FindFamily(s.encoder).presets;
    const auto preset = static_cast<double>(std::find(presets.begin(), presets.end(), s.preset) - presets.begin());
    const bool stream = s.rate_control == RateControl::kConstantBitRate;
    const double fps = coder.fps * (stream ? 4 : 1) / std::pow(1.5, preset);
    Trial trial = test::DoneTrial(request, fps);
    test::SetCores(trial, 2 * s.frame_rate.fps() / fps);
    const double below = FindFamily(s.encoder).quality.usual - s.quality_level.value_or(0);
    trial.mean_kbps = s.quality_level ? 20'000 * coder.bits * std::pow(1.1, below) : s.bit_rate.kbps();
    trial.quality = test::QualityOf(s.quality_level ? 80 + 2 * below : 60 + 10 * (1 / coder.bits - 1));
    return trial;
  }

 private:
  Coders coders_;
};

Show ModernShow() {
  Show show;
  show.source_size = kSource;
  show.source_rate = {60, 1};
  show.recording_size = kSource;
  show.recording_rate = FrameRate{60, 1};
  show.recording_score = 80;
  show.recording_plays = Plays::kModern;
  return show;
}

Plan PlanWith(
    const Coders& coders, const Show& show = ModernShow(),
    const std::function<Proof(const Pair&)>& prove = [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); }) {
  CodecRunner runner(coders);
  TrialBook book(runner, {}, [](const auto&) {});
  Footage footage = test::FakeFootage("clip");
  footage.size = kSource;
  Targets targets = test::FakeTargets();
  targets.stream.size = {640, 360};
  targets.stream_codecs = {"h264"};
  targets.recording.size = kSource;
  targets.recording_sizes = {kSource};
  targets.recording_rates = {{60, 1}};
  std::vector<std::string> recording{"x264"};
  for (const auto& [encoder, coder] : coders)
    if (encoder != "x264") recording.push_back(encoder);
  PlanRequest request{show, targets, {footage}, {"x264"}, {2, 0.2}};
  request.recording_families = recording;
  return MakePlan(request, book, prove);
}

std::string WhyNot(const Plan& plan, const std::string& encoder) {
  for (const OtherCodec& other : plan.other_codecs)
    if (other.role == Role::kRecording && other.encoder == encoder) return Sentence(other.why);
  return "";
}

TEST(OtherCodecs, AClearlySmallerFileThatHoldsIsTaken) {
  const Plan plan = PlanWith({{"x264", {600}}, {"x265", {400, 0.6}}, {"svt-av1", {300, 0.5}}});
  ASSERT_TRUE(plan.chosen);
  const Option& recording = plan.chosen->recording;
  EXPECT_EQ(recording.settings.encoder, "svt-av1") << "the smallest of them";
  EXPECT_NEAR(recording.score, 80, 2) << "at the same looks";
  ASSERT_TRUE(plan.recording_level);
  EXPECT_EQ(plan.recording_level->level, recording.settings.quality_level);
  const auto reason = std::find_if(plan.targets.reasons.begin(), plan.targets.reasons.end(),
                                   [](const Because& because) { return because.choice == "recording.encoder"; });
  ASSERT_NE(reason, plan.targets.reasons.end());
  EXPECT_THAT(Sentence(reason->why), HasSubstr("GB an hour less than x264"));
  EXPECT_THAT(WhyNot(plan, "x265"), HasSubstr("less than x264")) << "smaller too, but not the smallest";
  EXPECT_EQ(WhyNot(plan, "svt-av1"), "");
  int taken = 0;
  for (const TradePoint& point : plan.trade) taken += point.taken && point.codec == "av1";
  EXPECT_EQ(taken, 1);
  EXPECT_EQ(plan.trade.size(), 3u) << "each codec once";
}

TEST(OtherCodecs, WhatSavesLittleOrDoesNotFitIsNot) {
  const Plan plan = PlanWith({{"x264", {600}}, {"x265", {400, 0.95}}, {"svt-av1", {76, 0.5}}, {"vp9", {50, 0.5}}});
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->recording.settings.encoder, "x264");
  EXPECT_THAT(WhyNot(plan, "x265"), HasSubstr("too little to give up"));
  EXPECT_THAT(WhyNot(plan, "svt-av1"), HasSubstr("does not fit beside the stream"));
  EXPECT_THAT(WhyNot(plan, "vp9"), HasSubstr("50 frames a second"));
}

TEST(OtherCodecs, OneThatFailsItsProofGivesWayToH264) {
  const auto prove = [](const Pair& pair) {
    return test::FakeProof(0, FindFamily(pair.recording.settings.encoder).codec == "h264" ? 0 : 100);
  };
  Show show = ModernShow();
  show.recording_size.reset();  // how to record is left open
  const Plan plan = PlanWith({{"x264", {600}}, {"svt-av1", {300, 0.5}}}, show, prove);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->recording.settings.encoder, "x264");
  EXPECT_EQ(plan.verdict(), PlanVerdict::kHolds);
  EXPECT_THAT(WhyNot(plan, "svt-av1"), HasSubstr("headroom in real time"));
}

TEST(OtherCodecs, AtABitRateTheBetterLookingIsTaken) {
  Show show = ModernShow();
  show.recording_score.reset();
  const Plan plan = PlanWith({{"x264", {600}}, {"x265", {400, 0.6}}, {"svt-av1", {10}}, {"vp9", {10}}}, show);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->recording.settings.encoder, "x265");
  EXPECT_GT(plan.chosen->recording.score, 60);
}

TEST(OtherCodecs, WhereItShallPlayAnywhereTheyAreOnlyNamed) {
  Show show = ModernShow();
  show.recording_plays = Plays::kAnywhere;
  const Plan plan = PlanWith({{"x264", {600}}}, show);
  ASSERT_TRUE(plan.chosen);
  ASSERT_EQ(plan.other_codecs.size(), 2u);
  EXPECT_THAT(Sentence(plan.other_codecs[0].why), HasSubstr("plays = \"modern\""));
}

}  // namespace
}  // namespace kettle
