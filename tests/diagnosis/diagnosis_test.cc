// SPDX-License-Identifier: Apache-2.0
// Made-up rehearsals, one cause each: is it named, and is the cure the right one?
#include "kettle/diagnosis/diagnosis.h"

#include <nlohmann/json.hpp>

#include "says.h"
#include "support.h"

namespace kettle {
namespace {

using testing::HasSubstr;

class DiagnosisTest : public testing::Test {
 protected:
  DiagnosisTest() {
    for (int i = 0; i < 20; ++i) {
      RehearsalSecond second;
      second.start_seconds = i;
      second.acknowledged_kbps = 3000;
      second.stream_cores = 0.6;
      second.recording_cores = 0.4;
      second.game_cores = 0.5;
      outcome_.timeline.push_back(second);
    }
    plan_.stream = test::SmallSettings("x264", "faster");
    plan_.stream.bit_rate = plan_.stream.maximum_bit_rate = BitRate::FromKbps(3000);
    plan_.recording = test::SmallSettings("x264", "veryfast");
    for (const int kbps : {2550, 2100}) {
      PlanStep step{fmt::format("bit rate {} kbit/s", kbps), 0, 3000.0 - kbps, 0.3, plan_.stream};
      step.settings.bit_rate = BitRate::FromKbps(kbps);
      plan_.line.push_back(step);
    }
    plan_.stream_encoder = {{"x264 veryfast for the stream", 40, 0, 0.5, plan_.stream}};
    plan_.recording_encoder = {{"x264 superfast for the recording", 70, 0, 0.9, plan_.recording}};
  }
  RehearsalSecond& At(std::size_t second) { return outcome_.timeline[second]; }
  Diagnosis Diagnosed() const { return Diagnose(outcome_, facts_, plan_); }
  // The only cause found.
  LossStretch Only() const {
    const Diagnosis diagnosis = Diagnosed();
    EXPECT_EQ(diagnosis.stretches.size(), 1u);
    EXPECT_EQ(diagnosis.cures.size(), 1u);
    return diagnosis.stretches.empty() ? LossStretch{} : diagnosis.stretches.front();
  }

  RehearsalOutcome outcome_;
  DiagnosisFacts facts_{2, 3000, false, false};
  PlanFile plan_;
};

TEST_F(DiagnosisTest, WithoutALossThereIsNothingToSay) {
  EXPECT_TRUE(Diagnosed().stretches.empty());
  EXPECT_TRUE(Diagnosed().cures.empty());
}

TEST_F(DiagnosisTest, ALineThatDipsIsNamedAndTheStepThatFitsIt) {
  At(8).acknowledged_kbps = 2200;
  At(9).acknowledged_kbps = 2300;
  At(9).send_waiting_seconds = 1.4;
  At(9).dropped = 40;
  const LossStretch stretch = Only();
  EXPECT_EQ(stretch.cause, Cause::kUplink);
  EXPECT_EQ(stretch.frames, 40);
  EXPECT_THAT(stretch.why, test::Says("2200 of the 3000 kbit/s"));
  const Diagnosis::Cure cure = Diagnosed().cures.front();
  EXPECT_TRUE(cure.lower_bit_rate_helps);
  EXPECT_THAT(cure.action, test::Says("bit rate 2100 kbit/s")) << "2550 would not have fitted";
  EXPECT_NEAR(cure.step.value().costs, 0.3, 1e-9);
  plan_.line.push_back(plan_.line.back());
  plan_.line.back().what = "bit rate 2100 kbit/s and size 64x48";
  plan_.line.back().costs = 0.2;
  EXPECT_THAT(Diagnosed().cures.front().action, test::Says("and size 64x48")) << "of those that fit the best looking";
}

TEST_F(DiagnosisTest, ALineThatBreaksOffIsNoMatterOfTheRate) {
  At(8).acknowledged_kbps = 0;
  At(9).dropped = 60;
  EXPECT_EQ(Only().cause, Cause::kUplink);
  EXPECT_FALSE(Diagnosed().cures.front().lower_bit_rate_helps);
  EXPECT_THAT(Diagnosed().cures.front().action, test::Says("outage"));
}

TEST_F(DiagnosisTest, AnIngestThatIsGoneIsNotTheLine) {
  At(9).connected = false;
  At(10).dropped = 25;
  EXPECT_EQ(Only().cause, Cause::kIngestLost);
  EXPECT_FALSE(Diagnosed().cures.front().lower_bit_rate_helps);
}

TEST_F(DiagnosisTest, AnotherProgramIsNamed) {
  for (const std::size_t second : {5, 6, 7}) {
    At(second).busiest = "updater";
    At(second).busiest_cores = At(second).other_cores = 0.45;
    At(second).skipped_stream = 4;
  }
  const LossStretch stretch = Only();
  EXPECT_EQ(stretch.cause, Cause::kOtherProgram);
  EXPECT_EQ(stretch.program, "updater");
  EXPECT_EQ(stretch.frames, 12);
  EXPECT_EQ(stretch.from_seconds, 5);
  EXPECT_EQ(stretch.to_seconds, 8);
  EXPECT_THAT(Diagnosed().cures.front().action, test::Says("close \"updater\""));
  EXPECT_FALSE(Diagnosed().cures.front().lower_bit_rate_helps);
}

TEST_F(DiagnosisTest, ProgramsThatComeAndGoAreToldWithoutAName) {
  At(5).other_cores = 0.4;
  At(5).skipped_recording = 9;
  EXPECT_EQ(Only().cause, Cause::kOtherProgram);
  EXPECT_THAT(Only().why, test::Says("0.40 by other programs"));
  EXPECT_THAT(Diagnosed().cures.front().action, test::Says("close other programs"));
}

TEST_F(DiagnosisTest, TheHypervisorIsToldApart) {
  At(5).stolen_cores = 0.6;
  At(5).skipped_stream = 9;
  EXPECT_EQ(Only().cause, Cause::kStolen);
  At(5).stolen_cores = 3;  // the machine stood still
  EXPECT_THAT(Only().why, test::Says("2.00 of 2 processors were in use"));
}

TEST_F(DiagnosisTest, TheHypervisorTakesNoLongerThanItTook) {
  At(5).stolen_cores = 0.2;
  At(5).late = 3;  // at 25 frames a second
  EXPECT_EQ(Only().cause, Cause::kStolen) << "though there was room: it came in one piece";
  At(6).late = 12;
  EXPECT_EQ(Only().cause, Cause::kSourceHeldUp) << "half a second was missing, and 0.2 s were stolen";
}

TEST_F(DiagnosisTest, AGameThatTakesMoreThanUsual) {
  At(5).game_cores = 1.1;
  At(5).skipped_stream = 9;
  EXPECT_EQ(Only().cause, Cause::kGame);
  At(5).stolen_cores = 0.2;
  EXPECT_EQ(Only().cause, Cause::kGame) << "it took more than others on the host did";
  EXPECT_THAT(Diagnosed().cures.front().action, test::Says("cap the game's frame rate"));
}

TEST_F(DiagnosisTest, ASourceThatGetsNoProcessor) {
  for (RehearsalSecond& second : outcome_.timeline) second.stream_cores = 1.0;
  At(5).late = 3;
  EXPECT_EQ(Only().cause, Cause::kSourceStarved);
  EXPECT_EQ(Only().loss, Loss::kLate);
}

TEST_F(DiagnosisTest, ARecordingThatOverloadsWhatTheStreamNeeds) {
  for (RehearsalSecond& second : outcome_.timeline) second.recording_cores = 0.9;
  At(5).skipped_stream = 3;
  EXPECT_EQ(Only().cause, Cause::kRecordingEncoder);
  EXPECT_THAT(Diagnosed().cures.front().action, test::Says("superfast for the recording"));
}

TEST_F(DiagnosisTest, AnEncoderThatIsTooSlowByItself) {
  for (RehearsalSecond& second : outcome_.timeline) second.stream_cores = 1.0;
  At(5).skipped_stream = 3;
  EXPECT_EQ(Only().cause, Cause::kStreamEncoder);
  EXPECT_THAT(Diagnosed().cures.front().action, test::Says("veryfast for the stream"));
  EXPECT_NEAR(Diagnosed().cures.front().step.value().costs, 0.5, 1e-9);
}

TEST_F(DiagnosisTest, AnEngineThatIsTooSlow) {
  facts_.recording_on_gpu = true;
  At(5).skipped_recording = 7;
  const LossStretch stretch = Only();
  EXPECT_EQ(stretch.cause, Cause::kRecordingEncoder);
  EXPECT_THAT(stretch.why, test::Says("GPU's encode engine"));
}

TEST_F(DiagnosisTest, AnEngineWaitsForNoProcessorUnlessAllAreTaken) {
  facts_.recording_on_gpu = true;
  At(5).skipped_recording = 7;
  At(5).stolen_cores = 0.15;
  EXPECT_EQ(Only().cause, Cause::kRecordingEncoder);
  At(5).stolen_cores = 0.6;
  EXPECT_EQ(Only().cause, Cause::kStolen) << "nothing was left for feeding it";
  At(5).encoder_share = 0.97;
  EXPECT_EQ(Only().cause, Cause::kRecordingEncoder) << "it was fed more than it could take";
  EXPECT_THAT(Only().why, test::Says("97 % busy"));
}

TEST_F(DiagnosisTest, AnEncoderThatGaveUpIsNamedWithItsWordsAndTheRecordingMoves) {
  outcome_.recording.failed = "nvenc-h264: the device is lost";
  outcome_.recording.failed_seconds = 6.5;
  for (std::size_t i = 6; i < outcome_.timeline.size(); ++i) At(i).skipped_recording = 60;
  const LossStretch stretch = Only();
  EXPECT_EQ(stretch.cause, Cause::kRecordingFailed);
  EXPECT_EQ(stretch.from_seconds, 6);
  EXPECT_THAT(stretch.why, test::Says("gave up at 6.5 s: nvenc-h264: the device is lost"));
  EXPECT_THAT(Diagnosed().cures.front().action, test::Says("check the GPU's driver"))
      << "the plan knows no other place";
  plan_.recording_elsewhere = {{"CPU (x264 superfast)", 0, 0, 3, plan_.recording}};
  EXPECT_THAT(Diagnosed().cures.front().action, test::Says("move the recording to the CPU (x264 superfast)"));
  EXPECT_EQ(Diagnosed().cures.front().step->costs, 3);

  for (std::size_t i = 6; i < outcome_.timeline.size(); ++i) At(i).skipped_recording = 0;
  ASSERT_EQ(Diagnosed().cures.size(), 1u) << "at its very end it may cost no frame that was due";
  EXPECT_EQ(Diagnosed().cures.front().cause, Cause::kRecordingFailed);
  outcome_.recording.failed.clear();
  At(6).skipped_recording = 60;
  EXPECT_NE(Only().cause, Cause::kRecordingFailed);
}

// The second stream's encoder fails; later the first one skips frames of its own.
TEST_F(DiagnosisTest, OfSeveralStreamsTheFailedOneIsBlamedForItsOwnFramesOnly) {
  const auto skip = [](PacedOutputOutcome& encode, int second) {
    for (int i = 0; i < 60; ++i) encode.frame_times.push_back({i, second * 1000 + i * 16.0});
  };
  outcome_.further.emplace_back();
  outcome_.further.front().failed = "the device is lost";
  outcome_.further.front().failed_seconds = 4.2;
  skip(outcome_.further.front(), 5);
  skip(outcome_.stream, 12);
  At(5).skipped_stream = At(12).skipped_stream = 60;
  const Diagnosis diagnosis = Diagnosed();
  ASSERT_EQ(diagnosis.stretches.size(), 2u);
  EXPECT_EQ(diagnosis.stretches[0].cause, Cause::kStreamFailed);
  EXPECT_NE(diagnosis.stretches[1].cause, Cause::kStreamFailed);

  At(5).skipped_stream = At(12).skipped_stream = 0;
  ASSERT_EQ(Diagnosed().cures.size(), 1u) << "at its very end it may cost no frame that was due";
  EXPECT_EQ(Diagnosed().cures.front().cause, Cause::kStreamFailed);
}

TEST_F(DiagnosisTest, ADiskThatIsSlowAndOneThatIsFull) {
  At(5).stalled = 30;
  At(5).longest_write_ms = 2300;
  At(5).disk_waiting_seconds = 2.1;
  EXPECT_EQ(Only().cause, Cause::kDisk);
  EXPECT_THAT(Only().why, test::Says("2300 ms"));
  outcome_.files = {{"full/a.mkv", "matroska", 1, 30, "full/a.mkv: Input/output error"}};
  EXPECT_EQ(Only().cause, Cause::kDisk) << "by the fact, not by a word in a path";
  EXPECT_THAT(Only().why, test::Says("the recording stopped: full/a.mkv: Input/output error"));
  outcome_.files.front().disk_full = true;
  EXPECT_EQ(Only().cause, Cause::kDiskFull);
}

TEST_F(DiagnosisTest, OfSeveralIngestsTheOneThatLostFramesIsNamed) {
  outcome_.ingests = {{"Quay", "rtmp://quay"}, {"Lamp", "rtmp://lamp", {1, 2, 3}}};
  for (RehearsalSecond& second : outcome_.timeline)
    second.ingests = {{.acknowledged_kbps = 3000}, {.acknowledged_kbps = 3000}};
  for (const std::size_t i : {8, 9}) {
    At(i).ingests[1] = {i == 9 ? 30 : 0, 1.4, 0.9, 200, 20, true};
    At(i).acknowledged_kbps = 200;
    At(i).dropped = At(i).ingests[1].dropped;
  }
  const LossStretch loss = Only();
  EXPECT_EQ(loss.cause, Cause::kUplink);
  EXPECT_EQ(loss.ingest, "Lamp");
  EXPECT_EQ(loss.frames, 30);
  EXPECT_THAT(Diagnosed().cures.front().action, test::Says("it is the way to Lamp that broke"));
  for (const std::size_t i : {8, 9}) At(i).ingests[0] = At(i).ingests[1];
  EXPECT_EQ(Diagnosed().cures.size(), 2u);
  EXPECT_THAT(Diagnosed().cures.front().action, testing::Not(test::Says("that broke")))
      << "both lost frames: the uplink";
}

TEST_F(DiagnosisTest, AnIngestsOwnEncodeIsWhatItsLineIsComparedWith) {
  plan_.further_streams = {{{"Lamp"}, plan_.stream}};
  plan_.further_streams[0].settings.bit_rate = BitRate::FromKbps(300);
  outcome_.ingests = {{"Quay", "rtmp://quay"}, {"Lamp", "rtmp://lamp", {}, 0, "", false, 1}};
  for (RehearsalSecond& second : outcome_.timeline)
    second.ingests = {{.acknowledged_kbps = 3000}, {.blocked_share = 0.95, .acknowledged_kbps = 300}};
  EXPECT_TRUE(Diagnosed().stretches.empty()) << "300 of 300 kbit/s got through";
  for (RehearsalSecond& second : outcome_.timeline) second.ingests[1].acknowledged_kbps = 100;
  ASSERT_FALSE(Diagnosed().stretches.empty());
  EXPECT_EQ(Diagnosed().stretches.front().ingest, "Lamp");
  EXPECT_FALSE(Diagnosed().cures.front().step) << "the plan's steps are the other encode's";
}

TEST_F(DiagnosisTest, OfSeveralIngestsTheLostOneIsNamed) {
  outcome_.ingests = {{"Quay", "rtmp://quay"}, {"Lamp", "rtmp://lamp", {}, 2, "gone"}};
  ASSERT_EQ(Diagnosed().cures.size(), 1u);
  EXPECT_EQ(Diagnosed().cures.front().cause, Cause::kIngestLost);
  EXPECT_EQ(Diagnosed().cures.front().ingest, "Lamp");
}

TEST_F(DiagnosisTest, WhatCostNoFrameIsToldToo) {
  outcome_.ingests = {{"quay", "rtmp://quay", {}, 1}};
  ASSERT_EQ(Diagnosed().cures.size(), 1u);
  EXPECT_EQ(Diagnosed().cures.front().cause, Cause::kIngestLost);
  EXPECT_EQ(Diagnosed().cures.front().frames, 0);
  EXPECT_FALSE(outcome_.holds());
  outcome_.ingests.front().connection_losses = 0;
  EXPECT_TRUE(outcome_.holds());
  outcome_.files = {{"a.mp4", "mp4", 1, 0, "a.mp4: No space left on device", true}};
  EXPECT_EQ(Diagnosed().cures.front().cause, Cause::kDiskFull);
  EXPECT_FALSE(outcome_.holds()) << "a recording without its index";
}

TEST_F(DiagnosisTest, WhatOnlyNearlyLostFramesIsToldAfterWhatDid) {
  At(5).busiest = "indexer";  // so much that the stream sends little, and the line loses nothing
  At(5).busiest_cores = At(5).other_cores = 1.5;
  At(5).skipped_stream = 20;
  At(6).acknowledged_kbps = 800;
  At(6).send_waiting_seconds = 0.9;
  Diagnosis diagnosis = Diagnosed();
  ASSERT_EQ(diagnosis.cures.size(), 2u);
  EXPECT_EQ(diagnosis.cures[0].cause, Cause::kOtherProgram);
  EXPECT_EQ(diagnosis.cures[1].cause, Cause::kUplink);
  EXPECT_EQ(diagnosis.cures[1].frames, 0);
  ASSERT_EQ(diagnosis.stretches.size(), 2u);
  EXPECT_EQ(diagnosis.stretches[1].frames, 0);

  At(5) = At(6) = At(4);
  At(12).disk_waiting_seconds = 1.5;
  EXPECT_EQ(Only().cause, Cause::kDisk);
}

TEST_F(DiagnosisTest, ALineThatIsFullAtLessThanTheStreamSendsIsTooNarrow) {
  At(5).send_blocked_share = 0.8;
  EXPECT_TRUE(Diagnosed().stretches.empty()) << "it took all of the stream: a keyframe had to wait";
  At(5).acknowledged_kbps = 700;
  EXPECT_EQ(Only().cause, Cause::kUplink);
  EXPECT_THAT(Only().why, test::Says("700 of the 3000 kbit/s"));
  EXPECT_EQ(Diagnosed().cures.front().frames, 0);
  At(5).send_blocked_share = 0.2;
  EXPECT_TRUE(Diagnosed().stretches.empty()) << "little was sent because little was encoded";
}

TEST_F(DiagnosisTest, ASourceThatWasHeldUpIsNoEncodersFault) {
  At(5).late = 14;
  At(5).skipped_recording = 9;
  At(6).skipped_stream = 2;
  const Diagnosis diagnosis = Diagnosed();
  ASSERT_EQ(diagnosis.cures.size(), 1u);
  EXPECT_EQ(diagnosis.cures[0].cause, Cause::kSourceHeldUp);
  EXPECT_EQ(diagnosis.cures[0].frames, 25);
  EXPECT_THAT(diagnosis.stretches[0].why, test::Says("though only 1.50 of 2 processors"));
}

TEST_F(DiagnosisTest, TheGameIsNamedAmongThoseThatFillTheMachine) {
  for (RehearsalSecond& second : outcome_.timeline) second.game_cores = 0.9;
  At(5).skipped_stream = 3;
  EXPECT_THAT(Only().why, test::Says("0.90 by the game"));
}

TEST_F(DiagnosisTest, PairsOfCausesAreToldApartTheCostliestFirst) {
  At(3).stalled = 5;
  At(3).longest_write_ms = 2300;
  At(12).acknowledged_kbps = 1000;
  At(12).dropped = 50;
  const Diagnosis diagnosis = Diagnosed();
  ASSERT_EQ(diagnosis.stretches.size(), 2u);
  EXPECT_EQ(diagnosis.stretches[0].cause, Cause::kDisk) << "in time order";
  ASSERT_EQ(diagnosis.cures.size(), 2u);
  EXPECT_EQ(diagnosis.cures[0].cause, Cause::kUplink) << "by what it cost";
  const nlohmann::json json = diagnosis;
  EXPECT_EQ(json["stretches"][1]["loss"], "dropped");
  EXPECT_EQ(json["cures"][0]["frames"], 50);
}

TEST_F(DiagnosisTest, SeparateStretchesStaySeparate) {
  for (const std::size_t second : {2, 3, 9}) At(second).skipped_recording = 1;
  EXPECT_EQ(Diagnosed().stretches.size(), 2u);
  EXPECT_EQ(Diagnosed().cures.front().frames, 3);
}

}  // namespace
}  // namespace kettle
