// SPDX-License-Identifier: Apache-2.0
#include "kettle/draft/plan_draft.h"

#include <nlohmann/json.hpp>

#include "fakes.h"
#include "says.h"

namespace kettle {
namespace {

// A draft of one clip, whose trials all take a second of a clock that the test moves too.
class Draft : public testing::Test {
 protected:
  PlanDraft& Make() { return draft_.emplace(request_, book_, prove_); }

  Show show_;
  double left_ = 100;  // seconds
  PlanRequest request_{show_, test::FakeTargets(), {test::FakeFootage("clip")}, {"x264", "nvenc-h264"}, {2, 0.2}};
  test::FakeRunner runner_{[this](const std::string&, int preset, bool, const std::string&) {
    left_ -= 1;
    return test::Figures{300.0 - 25 * preset, 0.1 + 0.05 * preset, 0.8 + 0.01 * preset};
  }};
  TrialBook book_{runner_, {}, [](const auto&) {}};
  Prove prove_ = [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); };
  std::optional<PlanDraft> draft_;
};

TEST_F(Draft, NamesTheFamiliesOfBothEncodesOnceInTheCataloguesOrder) {
  request_.recording_families = {"x265", "nvenc-h264", "x264"};
  EXPECT_THAT(Make().families(), testing::ElementsAre("x264", "x265", "nvenc-h264"));
}

TEST_F(Draft, RecordingsArePlacedWithH264WhereItMayBeUsed) {
  request_.recording_families = {"x264", "x265"};
  EXPECT_TRUE(Make().IsPlainRecording("x264"));
  EXPECT_FALSE(draft_->IsPlainRecording("x265"));
  EXPECT_FALSE(draft_->IsPlainRecording("nvenc-h264")) << "the recording may not use it";
  request_.recording_families = {"x265"};
  EXPECT_TRUE(Make().IsPlainRecording("x265")) << "there is nothing else";
}

TEST_F(Draft, AnEncodeRunsOnlyWhereTheShowLetsIt) {
  request_.stream_devices.only = {{"nvenc-h264", 1}};
  EXPECT_FALSE(Make().MayUse(Role::kStream, "x264", 0));
  EXPECT_FALSE(draft_->MayUse(Role::kStream, "nvenc-h264", 0));
  EXPECT_TRUE(draft_->MayUse(Role::kStream, "nvenc-h264", 1));
  EXPECT_TRUE(draft_->MayUse(Role::kRecording, "x264", 0)) << "the recording is not told where to run";
}

TEST_F(Draft, SearchesOnTheFirstDeviceThatWorksAndMayBeUsed) {
  request_.devices = {{"x264", {0}}, {"nvenc-h264", {1, 2}}};
  EXPECT_EQ(Make().space.DeviceOf("nvenc-h264"), 1) << "the first one there does not work";
  EXPECT_EQ(draft_->space.DeviceOf("x264"), 0);
  request_.stream_devices.only = {{"nvenc-h264", 2}};
  EXPECT_EQ(Make().space.DeviceOf("nvenc-h264"), 2);
  request_.stream_devices.only = {{"x264", 0}};
  EXPECT_EQ(Make().space.DeviceOf("nvenc-h264"), 1) << "it may only record";
}

TEST_F(Draft, CountsTheGrid) {
  const std::size_t presets = FindFamily("x264").presets.size() + FindFamily("nvenc-h264").presets.size();
  EXPECT_EQ(Make().plan.grid, static_cast<int>(2 * presets)) << "stream and recording, one picture each, one clip";
}

TEST_F(Draft, SaysOnceWhatTheTimeLeftOut) {
  request_.time = TimeBudget([this] { return left_; }, 10);
  EXPECT_TRUE(Make().MayGoOn(PlanStage::kRecordingLevel));
  left_ = 0;
  EXPECT_FALSE(draft_->MayGoOn(PlanStage::kRecordingLevel));
  EXPECT_FALSE(draft_->MayGoOn(PlanStage::kRecordingLevel));
  EXPECT_FALSE(draft_->MayGoOn(PlanStage::kBesides));
  draft_->TellWhatWasLeftOut();
  ASSERT_EQ(draft_->plan.targets.warnings.size(), 1U);
  EXPECT_THAT(draft_->plan.targets.warnings.front(),
              test::Says("the time budget left these out: the recording's quality level, what to lower when the line drops"));
}

TEST_F(Draft, WithoutTimeOnlyTheFirstProofRunIsLeft) {
  request_.time = TimeBudget([this] { return left_; }, 10);
  request_.most_proofs = 3;
  Make();
  left_ = 0;
  EXPECT_EQ(draft_->runs_left(), 3);
  draft_->plan.proving.attempts.emplace_back();
  EXPECT_EQ(draft_->runs_left(), 0);
  left_ = 100;
  EXPECT_EQ(draft_->runs_left(), 2);
}

TEST_F(Draft, MeasuresTheFastestPresetHoweverLateItIs) {
  request_.time = TimeBudget([this] { return left_; }, 10);
  Make().Begin(PlanStage::kPlacement);
  left_ = 0;
  EncodeSettings settings = test::FakeTargets().stream;
  settings.encoder = "x264";
  settings.preset = FindFamily("x264").presets.front();
  EXPECT_TRUE(draft_->options.Measure(settings).measured);
  settings.preset = FindFamily("x264").presets.back();
  EXPECT_FALSE(draft_->options.Measure(settings).measured);
}

TEST_F(Draft, TellsTheBestStreamSoFar) {
  std::optional<Option> best;
  request_.watch = [&](const PlanStatus& status) { best = status.best; };
  EncodeSettings settings = test::FakeTargets().stream;
  settings.encoder = "x264";
  for (const int preset : {0, 2, 1}) {
    settings.preset = FindFamily("x264").presets.at(static_cast<std::size_t>(preset));
    (preset == 0 ? Make() : *draft_).options.Measure(settings);
  }
  ASSERT_TRUE(best);
  EXPECT_EQ(best->settings.preset, FindFamily("x264").presets.at(2));
}

TEST_F(Draft, KeepsWhatWasFoundOutLastOfEachWayToRecord) {
  TradePoint whole, half;
  whole.size = {1280, 720}, half.size = {640, 360};
  whole.why = half.why = Message{"trade.costs-nothing"};
  Make().NoteWay(whole);
  draft_->NoteWay(half);
  whole.why = Message{"trade.failed-proof"};
  draft_->NoteWay(whole);
  ASSERT_EQ(draft_->plan.trade.size(), 2U);
  EXPECT_EQ(draft_->plan.trade.front().why.key, "trade.failed-proof");
  EXPECT_EQ(draft_->plan.trade.back().why.key, "trade.costs-nothing");
}

TEST_F(Draft, KeepsTheLastReasonAgainstAnEncoder) {
  Make().NoteCodec(Role::kRecording, "x265", Message{"recording-level.no-time"});
  draft_->NoteCodec(Role::kStream, "x265", Message{"codec.none-in-time"});
  draft_->NoteCodec(Role::kRecording, "x265", Message{"trade.failed-proof"});
  ASSERT_EQ(draft_->plan.other_codecs.size(), 2U);
  EXPECT_EQ(draft_->plan.other_codecs.front().codec, "hevc");
  EXPECT_EQ(draft_->plan.other_codecs.front().why.key, "trade.failed-proof");
}

// A machine that takes half as long again for so many looks, after as many calm ones as make that unusual.
class SlowForAWhile final : public TrialRunner {
 public:
  explicit SlowForAWhile(int slow_looks) : slow_looks_(slow_looks) {}
  Trial Run(const TrialRequest& request) override { return test::DoneTrial(request, 100); }
  std::optional<TimedLook> Look(double wait_seconds) override {
    waited += wait_seconds;
    now_ += wait_seconds + 20;  // far enough apart to be looks of their own
    const double times = looks++ >= kCalm && looks <= kCalm + slow_looks_ ? 1.5 : 1.0;
    return TimedLook{now_, {0.1 * times, 0.2 * times}};
  }
  static constexpr int kCalm = 60;  // looks before that
  int looks = 0;
  double waited = 0;

 private:
  int slow_looks_;
  double now_ = 1e9;
};

TEST(ProofAtUsualSpeed, IsWaitedForAndASlowMomentIsTold) {
  const Show show;
  PlanRequest request{show, test::FakeTargets(), {test::FakeFootage("clip")}, {"x264"}, {2, 0.2}};
  const Prove prove = [](const Pair&) { return test::FakeProof(0, 0); };
  for (const auto& [slow_looks, waits, disturbed] :
       {std::tuple(0, 0.0, false), std::tuple(6, 4.0, false), std::tuple(1000, 30.0, true)}) {
    SlowForAWhile runner(slow_looks);
    TrialBook book(runner, {}, [](const auto&) {});
    while (runner.looks < SlowForAWhile::kCalm) book.LookAtSpeed();
    PlanDraft draft(request, book, prove);
    EXPECT_EQ(draft.Prove({}).disturbed(), disturbed) << slow_looks;
    EXPECT_EQ(runner.waited, waits) << slow_looks;
  }
}

TEST(ProofAtUsualSpeed, IsNotLookedForWhereTimeIsShort) {
  const Show show;
  PlanRequest request{show, test::FakeTargets(), {test::FakeFootage("clip")}, {"x264"}, {2, 0.2}};
  request.time = TimeBudget([] { return 60.0; }, 10);
  SlowForAWhile runner(1000);
  TrialBook book(runner, {}, [](const auto&) {});
  const Prove prove = [](const Pair&) { return test::FakeProof(0, 0); };
  PlanDraft(request, book, prove).Prove({});
  EXPECT_EQ(runner.looks, 0);
}

}  // namespace
}  // namespace kettle
